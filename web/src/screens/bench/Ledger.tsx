import { Button, Checkbox, Flex, Typography } from "antd";
import { useState } from "react";
import { useModels, useShares, type Conversion, type LedgerEntry, type Parameter } from "../../api/queries";
import { ASPECTS } from "../../parts/aspects";
import { palette } from "../../theme";
import { FidelityMark } from "./FidelityMark";
import { TargetValue } from "./TargetValue";
import { TuneBar } from "./TuneBar";

const COLUMNS = "minmax(170px, 1fr) minmax(280px, 2fr) 118px minmax(400px, 1.6fr)";
const SET_BY: Record<string, string> = { hand: "set by hand", fit: "fitted", remedy: "by remedy", copy: "copied" };
const LEAST_SHARE = 0.02;

/** Where every converted value came from, by optical aspect: source values, the rule with its numbers, the target value. */
export function Ledger({ conversion, project }: { conversion: Conversion; project: number }) {
  const [everything, setEverything] = useState(false);
  const [locked, setLocked] = useState<ReadonlySet<string>>(new Set());
  const shares = useShares(conversion.id, conversion.version).data;
  const parameters = useModels().data?.find((model) => model.id === conversion.target)?.parameters ?? [];
  const lines = [...conversion.ledger, ...(everything ? untouched(conversion, parameters) : [])];
  const shownAt = firstTargets(lines);
  const toggle = (name: string) => {
    const next = new Set(locked);
    if (!next.delete(name)) next.add(name);
    setLocked(next);
  };
  return (
    <section aria-label="Ledger">
      <Flex align="center" gap={14} wrap style={{ borderBottom: `1px solid ${palette.ink}`, paddingBottom: 6 }}>
        <Typography.Title level={5} style={{ margin: 0 }}>Ledger</Typography.Title>
        <span style={{ color: palette.faded }}>where every converted value came from</span>
        <Checkbox checked={everything} onChange={(event) => setEverything(event.target.checked)}>also values at their default</Checkbox>
        <TuneBar conversion={conversion} project={project} locked={locked} />
      </Flex>
      {ASPECTS.map((aspect) => {
        const here = lines.filter((entry) => entry.group === aspect);
        return here.length === 0 ? null : (
          <div key={aspect} role="group" aria-label={aspect}>
            <div style={{ padding: "10px 0 2px", color: palette.accent, fontWeight: 650 }}>{aspect}</div>
            {here.map((entry) => (
              <Line
                key={entry.target || entry.sources.join()} entry={entry} shownAt={shownAt.get(stepsOf(entry))} conversion={conversion} project={project}
                parameter={parameters.find((parameter) => parameter.name === entry.target)} share={shareOf(entry, shares)}
                locked={locked.has(entry.target)} toggle={() => toggle(entry.target)}
              />
            ))}
          </div>
        );
      })}
    </section>
  );
}

function stepsOf(entry: LedgerEntry): string {
  return JSON.stringify(entry.steps);
}

/** By steps, the target value beside which they are written out; others with the same steps refer to it. */
function firstTargets(lines: LedgerEntry[]): Map<string, string> {
  const found = new Map<string, string>();
  const ordered = ASPECTS.flatMap((aspect) => lines.filter((entry) => entry.group === aspect && entry.target !== "" && entry.steps.length > 0));
  for (const entry of ordered) if (!found.has(stepsOf(entry))) found.set(stepsOf(entry), entry.target);
  return found;
}

/** What part of the remaining difference this line causes, 0…1. */
function shareOf(entry: LedgerEntry, found: { error: number; shares: Record<string, number> } | undefined): number {
  if (found === undefined || found.error <= 0) return 0;
  const key = entry.target === "" ? `lost ${entry.sources[0] ?? ""}` : entry.target;
  return (found.shares[key] ?? 0) / found.error;
}

function untouched(conversion: Conversion, parameters: Parameter[]): LedgerEntry[] {
  const known = new Set(conversion.ledger.map((entry) => entry.target));
  return parameters.filter((parameter) => !known.has(parameter.name) && parameter.kind !== "normal").map((parameter) => ({
    target: parameter.name, group: parameter.group, fidelity: "default", sources: [], override: null, override_by: "", override_why: "", shown: "", shown_derived: "",
    steps: [], derived: { constant: parameter.default },
  }));
}

interface LineProps {
  entry: LedgerEntry;
  shownAt: string | undefined;
  conversion: Conversion;
  project: number;
  parameter: Parameter | undefined;
  share: number;
  locked: boolean;
  toggle: () => void;
}

function Line({ entry, shownAt, conversion, project, parameter, share, locked, toggle }: LineProps) {
  const sources = conversion.source_values.filter((value) => entry.sources.includes(value.name));
  const same = entry.target !== "" && shownAt !== undefined && shownAt !== entry.target;
  return (
    <div style={{ display: "grid", gridTemplateColumns: COLUMNS, columnGap: 16, padding: same ? "3px 0" : "5px 0", borderBottom: `1px solid ${palette.rule}`, alignItems: "start", fontSize: 13 }}>
      {same ? <span style={{ color: palette.faded }}>as for {shownAt}</span> : (
        <div>
          {sources.map((value) => <div key={value.name} title={value.says}><span style={{ color: palette.faded }}>{value.name}</span> <span className="numbers">{value.shown}</span></div>)}
          {sources.length === 0 && <span style={{ color: palette.faded }}>{entry.fidelity === "default" ? "nothing" : "the source says nothing"}</span>}
        </div>
      )}
      <div>
        {same ? <span style={{ color: palette.faded }}>by the same rule</span> : <Steps entry={entry} />}
        {entry.override_why !== "" && <div><strong>{SET_BY[entry.override_by]}:</strong> {entry.override_why}</div>}
      </div>
      <div>
        <FidelityMark fidelity={entry.override === null ? entry.fidelity : SET_BY[entry.override_by] ?? "set by hand"} />
        {share >= LEAST_SHARE && <div title="share of the remaining difference" className="numbers" style={{ color: palette.faded }}>{Math.round(100 * share)} % of Δ</div>}
        {isFree(entry) && <Button size="small" type="text" style={{ display: "block", padding: 0, height: 20, fontSize: 12.5, color: palette.faded }} aria-pressed={locked} onClick={toggle}>{locked ? "locked" : "lock"}</Button>}
      </div>
      {entry.target === "" ? <span style={{ color: palette.faded }}>no value in the target</span> : parameter !== undefined && <TargetValue entry={entry} parameter={parameter} conversion={conversion} project={project} />}
    </div>
  );
}

/** Whether a fit may move this value. */
function isFree(entry: LedgerEntry): boolean {
  const constant = entry.derived?.["constant"];
  return ["approximated", "assumed"].includes(entry.fidelity) && (typeof constant === "number" || Array.isArray(constant));
}

/** From the original to the target: each rule in words, and where it comes from. */
function Steps({ entry }: { entry: LedgerEntry }) {
  if (entry.steps.length === 0) return <span style={{ color: palette.faded }}>at the default</span>;
  return (
    <ol style={{ margin: 0, paddingLeft: 16 }}>
      {entry.steps.map((step) => (
        <li key={step.rule}>
          {step.text} {step.remark !== "" && <strong>{step.remark} </strong>}
          {step.source !== "" && <span style={{ color: palette.faded }}>[{step.source}]</span>}
        </li>
      ))}
    </ol>
  );
}
