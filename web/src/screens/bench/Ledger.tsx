import { Checkbox, Flex, Typography } from "antd";
import { useState } from "react";
import { useModels, type Conversion, type LedgerEntry, type Parameter } from "../../api/queries";
import { palette } from "../../theme";
import { FidelityMark } from "./FidelityMark";
import { TargetValue } from "./TargetValue";

const ASPECTS = ["body", "reflection", "transmission", "volume", "coat", "fuzz", "glow", "relief", "cut-out"];
const COLUMNS = "minmax(180px, 1fr) minmax(300px, 2.2fr) 130px minmax(380px, 1.6fr)";

/** Where every converted value came from, by optical aspect: source values, the rule with its numbers, the target value. */
export function Ledger({ conversion, project }: { conversion: Conversion; project: number }) {
  const [everything, setEverything] = useState(false);
  const parameters = useModels().data?.find((model) => model.id === conversion.target)?.parameters ?? [];
  const lines = [...conversion.ledger, ...(everything ? untouched(conversion, parameters) : [])];
  return (
    <section aria-label="Ledger">
      <Flex align="baseline" gap={16} style={{ borderBottom: `1px solid ${palette.ink}`, paddingBottom: 4 }}>
        <Typography.Title level={5} style={{ margin: 0 }}>Ledger</Typography.Title>
        <span style={{ color: palette.faded }}>where every converted value came from</span>
        <Checkbox checked={everything} onChange={(event) => setEverything(event.target.checked)} style={{ marginLeft: "auto" }}>also values at their default</Checkbox>
      </Flex>
      {ASPECTS.map((aspect) => {
        const here = lines.filter((entry) => entry.group === aspect);
        return here.length === 0 ? null : (
          <div key={aspect} role="group" aria-label={aspect}>
            <div style={{ padding: "10px 0 2px", color: palette.accent, fontWeight: 650 }}>{aspect}</div>
            {here.map((entry, index) => <Line key={entry.target || entry.sources.join()} entry={entry} above={here[index - 1]} conversion={conversion} project={project} parameter={parameters.find((parameter) => parameter.name === entry.target)} />)}
          </div>
        );
      })}
    </section>
  );
}

function untouched(conversion: Conversion, parameters: Parameter[]): LedgerEntry[] {
  const known = new Set(conversion.ledger.map((entry) => entry.target));
  return parameters.filter((parameter) => !known.has(parameter.name) && parameter.kind !== "normal").map((parameter) => ({
    target: parameter.name, group: parameter.group, fidelity: "default", sources: [], override: null, shown: "", shown_derived: "", steps: [],
    derived: { constant: parameter.default },
  }));
}

interface LineProps {
  entry: LedgerEntry;
  above: LedgerEntry | undefined;
  conversion: Conversion;
  project: number;
  parameter: Parameter | undefined;
}

function Line({ entry, above, conversion, project, parameter }: LineProps) {
  const sources = conversion.source_values.filter((value) => entry.sources.includes(value.name));
  const same = above !== undefined && entry.steps.length > 0 && JSON.stringify(entry.steps) === JSON.stringify(above.steps);
  if (same && entry.target !== "" && parameter !== undefined) {
    return (
      <div style={{ display: "grid", gridTemplateColumns: COLUMNS, columnGap: 16, padding: "3px 0", borderBottom: `1px solid ${palette.rule}`, alignItems: "center", fontSize: 13, color: palette.faded }}>
        <span>as above</span><span>by the same rule</span>
        <span style={{ color: palette.ink }}><FidelityMark fidelity={entry.override === null ? entry.fidelity : "set by hand"} /></span>
        <TargetValue entry={entry} parameter={parameter} conversion={conversion} project={project} />
      </div>
    );
  }
  return (
    <div style={{ display: "grid", gridTemplateColumns: COLUMNS, columnGap: 16, padding: "5px 0", borderBottom: `1px solid ${palette.rule}`, alignItems: "start" }}>
      <div style={{ fontSize: 13 }}>
        {sources.map((value) => <div key={value.name} title={value.says}><span style={{ color: palette.faded }}>{value.name}</span> <span className="numbers">{value.shown}</span></div>)}
        {sources.length === 0 && <span style={{ color: palette.faded }}>{entry.fidelity === "default" ? "nothing" : "the source says nothing"}</span>}
      </div>
      <Steps entry={entry} />
      <FidelityMark fidelity={entry.override === null ? entry.fidelity : "set by hand"} />
      {entry.target === "" ? <span style={{ color: palette.faded }}>no value in the target</span> : parameter !== undefined && <TargetValue entry={entry} parameter={parameter} conversion={conversion} project={project} />}
    </div>
  );
}

/** From the original to the target: each rule in words, and where it comes from. */
function Steps({ entry }: { entry: LedgerEntry }) {
  if (entry.steps.length === 0) return <span style={{ color: palette.faded, fontSize: 13 }}>at the default</span>;
  return (
    <ol style={{ margin: 0, paddingLeft: 16, fontSize: 13 }}>
      {entry.steps.map((step) => (
        <li key={step.rule}>
          {step.text} {step.remark !== "" && <strong>{step.remark} </strong>}
          {step.source !== "" && <span style={{ color: palette.faded }}>[{step.source}]</span>}
        </li>
      ))}
    </ol>
  );
}
