import { Typography } from "antd";
import { useMetrics, type Check } from "../../api/queries";
import { VerdictMark } from "../../parts/VerdictMark";
import { percent, spaced } from "../../parts/words";
import { AnglePlot } from "./AnglePlot";

interface Props {
  checks: Check[];
  stand: string;
  shown: Check | undefined;
}

/** The colour difference of the pixels, which stands in a column for each rig. */
const COLUMNS = [
  ["median", "median"],
  ["p95", "95 %"],
  ["worst", "worst"],
] as const;

/** The measured results: by rig, and reflectance against angle. */
export function Readings({ checks, stand, shown }: Props) {
  const byRig = new Map<string, Check>();
  for (const check of checks.filter((candidate) => candidate.stand === stand)) {
    const known = byRig.get(check.rig);
    if (known === undefined || check.size >= known.size) byRig.set(check.rig, check);
  }
  const numbers = (shown ?? [...byRig.values()][0])?.numbers;
  return (
    <section aria-label="Measured results" className="sheet">
      <Typography.Text strong>Difference by rig</Typography.Text>
      <table className="readings">
        <thead>
          <tr>
            <th>ΔE2000</th>
            {COLUMNS.map(([id, title]) => (
              <th key={id}>{title}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {[...byRig.values()].map((check) => (
            <tr key={check.id}>
              <td>
                <VerdictMark verdict={check.numbers.verdict} label={false} /> {spaced(check.rig)}
              </td>
              {COLUMNS.map(([id]) => (
                <td key={id} className="numbers">
                  {check.numbers.readings[id]?.toFixed(2) ?? "–"}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {numbers === undefined ? (
        <Typography.Text type="secondary">Nothing measured yet.</Typography.Text>
      ) : (
        <Details numbers={numbers} />
      )}
    </section>
  );
}

function Details({ numbers }: { numbers: Check["numbers"] }) {
  const columns: readonly string[] = COLUMNS.map(([id]) => id);
  const others = (useMetrics().data ?? []).filter(({ id }) => !columns.includes(id) && id in numbers.readings);
  const lines = [
    ...others.map(({ id, title, says }) => [title, numbers.readings[id]?.toFixed(3) ?? "", says]),
    ["lobe error, directions", percent(numbers.lobe_error), "over directions of view and light, without a picture"],
    ["noise floor, ΔE 95 %", numbers.floor.toFixed(2), "what two pictures of the same differ by"],
    ["samples", String(numbers.samples), "a pixel"],
  ];
  return (
    <>
      <dl className="facts">
        {lines.map(([name, value, says]) => [
          <dt key={name} className="faded" title={says}>
            {name}
          </dt>,
          <dd key={`${name ?? ""} value`} className="numbers">
            {value}
          </dd>,
        ])}
      </dl>
      <Decided numbers={numbers} />
      <Typography.Text strong>Reflectance against angle</Typography.Text>
      <AnglePlot
        angles={numbers.angles}
        original={numbers.reflectance_original}
        converted={numbers.reflectance_converted}
      />
    </>
  );
}

/** By which number it came to its verdict, and what the pictures do not show. */
function Decided({ numbers }: { numbers: Check["numbers"] }) {
  const by = useMetrics().data?.find(({ id }) => id === numbers.decided_by)?.title ?? numbers.decided_by;
  return (
    <div className="small">
      <p>
        <VerdictMark verdict={numbers.verdict} />{" "}
        {numbers.verdict !== "undecided" && numbers.decided_by !== "" && <span className="faded">by {by}</span>}
      </p>
      {numbers.unseen.map((line) => (
        <p key={line}>{line}</p>
      ))}
    </div>
  );
}
