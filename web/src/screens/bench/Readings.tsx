import { Typography } from "antd";
import type { Check } from "../../api/queries";
import { percent } from "../../parts/percent";
import { VerdictMark } from "../../parts/VerdictMark";
import { palette } from "../../theme";
import { AnglePlot } from "./AnglePlot";

interface Props {
  checks: Check[];
  stand: string;
  shown: Check | undefined;
}

/** The measured results: by rig, and reflectance against angle. */
export function Readings({ checks, stand, shown }: Props) {
  const byRig = new Map<string, Check>();
  for (const check of checks.filter((candidate) => candidate.stand === stand)) {
    const known = byRig.get(check.rig);
    if (known === undefined || check.size >= known.size) byRig.set(check.rig, check);
  }
  const numbers = (shown ?? [...byRig.values()][0])?.numbers;
  return (
    <section aria-label="Measured results" style={{ background: palette.sheet, border: `1px solid ${palette.rule}`, padding: "10px 14px" }}>
      <Typography.Text strong>Difference by rig</Typography.Text>
      <table style={{ width: "100%", borderCollapse: "collapse", fontSize: 13 }}>
        <thead style={{ color: palette.faded, textAlign: "right" }}><tr><th style={{ textAlign: "left", fontWeight: 450 }}>ΔE2000</th><th style={{ fontWeight: 450 }}>median</th><th style={{ fontWeight: 450 }}>95 %</th><th style={{ fontWeight: 450 }}>worst</th></tr></thead>
        <tbody>
          {[...byRig.values()].map((check) => (
            <tr key={check.id}>
              <td style={{ padding: "2px 0" }}><VerdictMark verdict={check.numbers.verdict} label={false} /> {check.rig.replaceAll("_", " ")}</td>
              {[check.numbers.median, check.numbers.p95, check.numbers.worst].map((value, index) => <td key={index} className="numbers" style={{ textAlign: "right" }}>{value.toFixed(2)}</td>)}
            </tr>
          ))}
        </tbody>
      </table>
      {numbers === undefined ? <Typography.Text type="secondary">Nothing measured yet.</Typography.Text> : <Details numbers={numbers} />}
    </section>
  );
}

function Details({ numbers }: { numbers: Check["numbers"] }) {
  const lines = [
    ["FLIP", numbers.flip.toFixed(3)], ["relative error, linear", percent(numbers.relative_error)],
    ["lobe error, directions", percent(numbers.lobe_error)], ["noise floor, ΔE 95 %", numbers.floor.toFixed(2)], ["samples", String(numbers.samples)],
  ];
  return (
    <>
      <dl style={{ display: "grid", gridTemplateColumns: "1fr auto", fontSize: 13, margin: "8px 0 10px", rowGap: 1 }}>
        {lines.map(([name, value]) => [<dt key={name} style={{ color: palette.faded }}>{name}</dt>, <dd key={`${name} value`} className="numbers" style={{ margin: 0, textAlign: "right" }}>{value}</dd>])}
      </dl>
      <Typography.Text strong>Reflectance against angle</Typography.Text>
      <AnglePlot angles={numbers.angles} original={numbers.reflectance_original} converted={numbers.reflectance_converted} />
    </>
  );
}
