import { Button, Checkbox, Flex, Typography } from "antd";
import { useState } from "react";
import { useShares } from "../../api/conversions";
import { useModels } from "../../api/knowledge";
import type { Conversion, LedgerEntry, Parameter, Shares } from "../../api/types";
import { ASPECTS } from "../../parts/aspects";
import { Explained } from "../../parts/Explained";
import { FidelityMark } from "../../parts/FidelityMark";
import { Aims } from "./Aims";
import { TargetValue } from "./TargetValue";
import { TuneBar } from "./TuneBar";

const SET_BY: Record<string, string> = { hand: "set by hand", fit: "fitted", remedy: "by remedy", copy: "copied" };
const LEAST_SHARE = 0.02;
const MARKS = [
  "exact",
  "equivalent",
  "approximated",
  "assumed",
  "dropped",
  "set-by-hand",
  "fitted",
  "by-remedy",
  "copied",
  "default",
  "share",
  "fit",
];

/** Where every converted value came from, by optical aspect: source values, the rule with its numbers, the target value. */
export function Ledger({ conversion, project }: { conversion: Conversion; project: number }) {
  const [everything, setEverything] = useState(false);
  const [locked, setLocked] = useState<ReadonlySet<string>>(new Set());
  const shares = useShares(conversion.id, conversion.version).data;
  const parameters = useModels().data?.find((model) => model.id === conversion.target)?.parameters ?? [];
  const lines = [...conversion.ledger, ...(everything ? untouched(conversion, parameters) : [])];
  const toggle = (name: string) => {
    const next = new Set(locked);
    if (!next.delete(name)) next.add(name);
    setLocked(next);
  };
  return (
    <section aria-label="Ledger">
      <Flex align="center" gap={14} wrap className="ruled-strong">
        <Typography.Title level={5} className="heading">
          Ledger
        </Typography.Title>
        <span className="faded">where every converted value came from</span>
        <Explained label="What the marks of the ledger mean" words={MARKS} />
        <Checkbox checked={everything} onChange={(event) => setEverything(event.target.checked)}>
          also values at their default
        </Checkbox>
        <TuneBar conversion={conversion} project={project} locked={locked} />
      </Flex>
      <Aims conversion={conversion} project={project} />
      {ASPECTS.map((aspect) => {
        const here = lines.filter((entry) => entry.group === aspect);
        return here.length === 0 ? null : (
          <div key={aspect} role="group" aria-label={aspect}>
            <div className="part-name ledger-part">{aspect}</div>
            {here.map((entry) => (
              <Line
                key={entry.target || entry.sources.join()}
                entry={entry}
                conversion={conversion}
                project={project}
                parameter={parameters.find((parameter) => parameter.name === entry.target)}
                share={shareOf(entry, shares)}
                locked={locked.has(entry.target)}
                toggle={() => toggle(entry.target)}
              />
            ))}
          </div>
        );
      })}
    </section>
  );
}

/** What part of the remaining difference this line causes, 0…1. */
function shareOf(entry: LedgerEntry, found: Shares | undefined): number {
  const shares = entry.target === "" ? found?.losses[entry.sources[0] ?? ""] : found?.values[entry.target];
  return shares ?? 0;
}

/** Lines for what the ledger does not mention: the values that stand at their default. */
function untouched(conversion: Conversion, parameters: Parameter[]): LedgerEntry[] {
  const known = new Set(conversion.ledger.map((entry) => entry.target));
  return parameters
    .filter((parameter) => !known.has(parameter.name) && parameter.kind !== "normal")
    .map((parameter) => ({
      target: parameter.name,
      group: parameter.group,
      fidelity: "default",
      sources: [],
      override: null,
      override_by: "",
      override_why: "",
      grade: [],
      shown: "",
      shown_derived: "",
      shown_nearest: "",
      steps: [],
      derived: { constant: parameter.default },
      free: false,
      as_for: "",
    }));
}

interface LineProps {
  entry: LedgerEntry;
  conversion: Conversion;
  project: number;
  parameter: Parameter | undefined;
  share: number;
  locked: boolean;
  toggle: () => void;
}

function Line({ entry, conversion, project, parameter, share, locked, toggle }: LineProps) {
  const same = entry.as_for !== "";
  return (
    <div className="ledger-line">
      {same ? <span className="faded">as for {entry.as_for}</span> : <Sources entry={entry} conversion={conversion} />}
      <div>
        {same ? <span className="faded">by the same rule</span> : <Steps entry={entry} />}
        {!same && entry.shown_nearest !== "" && (
          <div className="faded">
            the nearest answer: <span className="numbers">{entry.shown_nearest}</span>
          </div>
        )}
        {entry.override_why !== "" && (
          <div>
            <strong>{SET_BY[entry.override_by]}:</strong> {entry.override_why}
          </div>
        )}
      </div>
      <div>
        <FidelityMark
          fidelity={entry.override === null ? entry.fidelity : (SET_BY[entry.override_by] ?? "set by hand")}
        />
        {share >= LEAST_SHARE && (
          <div title="share of the remaining difference" className="numbers faded">
            {Math.round(100 * share)} % of Δ
          </div>
        )}
        {entry.free && (
          <Button size="small" type="text" className="quiet block" aria-pressed={locked} onClick={toggle}>
            {locked ? "locked" : "lock"}
          </Button>
        )}
      </div>
      {(entry.override ?? entry.derived) === null ? (
        <span className="faded">no value in the target</span>
      ) : (
        parameter !== undefined && (
          <TargetValue entry={entry} parameter={parameter} conversion={conversion} project={project} />
        )
      )}
    </div>
  );
}

function Sources({ entry, conversion }: { entry: LedgerEntry; conversion: Conversion }) {
  const sources = conversion.source_values.filter((value) => entry.sources.includes(value.name));
  if (sources.length === 0) {
    return <span className="faded">{entry.fidelity === "default" ? "nothing" : "the source says nothing"}</span>;
  }
  return (
    <div>
      {sources.map((value) => (
        <div key={value.name} title={value.says}>
          <span className="faded">{value.name}</span> <span className="numbers">{value.shown}</span>
        </div>
      ))}
    </div>
  );
}

/** From the original to the target: each rule in words, and where it comes from. */
function Steps({ entry }: { entry: LedgerEntry }) {
  if (entry.steps.length === 0) return <span className="faded">at the default</span>;
  return (
    <ol className="list">
      {entry.steps.map((step) => (
        <li key={step.rule}>
          {step.text} {step.remark !== "" && <strong>{step.remark} </strong>}
          {step.source !== "" && <span className="faded">[{step.source}]</span>}
        </li>
      ))}
    </ol>
  );
}
