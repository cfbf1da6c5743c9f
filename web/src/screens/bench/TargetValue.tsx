import { Button, Flex, Select, Switch } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useEdit } from "../../api/edits";
import type { Conversion, LedgerEntry, Parameter } from "../../api/types";
import { ColourField } from "../../parts/ColourField";
import { rgbOf } from "../../parts/colour";
import { Grading } from "../../parts/Grading";
import { NumberField } from "../../parts/NumberField";
import { useComplaint } from "../../parts/useComplaint";
import { CopyFrom } from "./CopyFrom";
import { LookUp } from "./LookUp";
import { useTryValue } from "./TrialContext";

type Value = Schemas["OverrideIn"]["value"];

interface Props {
  entry: LedgerEntry;
  parameter: Parameter;
  conversion: Conversion;
  project: number;
}

/** A target value: typed exactly, looked up, copied, or reset to what the rules gave. */
export function TargetValue({ entry, parameter, conversion, project }: Props) {
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const { name } = parameter;
  const [grading, setGrading] = useState(false);
  const gradable = parameter.kind === "number" || parameter.kind === "colour";
  const tryValue = useTryValue();
  const refuse = (error: Error) => {
    complain(error);
    tryValue(name, undefined);
  };
  const commit = (value: Value) => edit.mutate({ kind: "set", name, value }, { onError: refuse });
  const reset = () => edit.mutate({ kind: "reset", name }, { onError: complain });
  return (
    <Flex gap={6} align="center" wrap className="target-value">
      <span className="target-name" title={parameter.says}>
        {name}
      </span>
      <Field entry={entry} parameter={parameter} commit={commit} />
      <span className="at-hand">
        <LookUp parameter={parameter} take={commit} />
        <CopyFrom conversion={conversion} project={project} parameter={parameter} />
        {gradable && entry.grade.length === 0 && (
          <Button
            size="small"
            type="text"
            className="quiet"
            aria-pressed={grading}
            onClick={() => setGrading(!grading)}
          >
            grade
          </Button>
        )}
      </span>
      {entry.override !== null && (
        <Button size="small" type="link" onClick={reset}>
          reset
          {entry.shown_derived !== "" && <span className="numbers faded"> {entry.shown_derived}</span>}
        </Button>
      )}
      {gradable && (grading || entry.grade.length > 0) && (
        <Grading
          label={name}
          kind={parameter.kind}
          steps={entry.grade}
          onTry={(steps) => tryValue(name, steps === undefined ? undefined : { grade: steps })}
          onCommit={(steps) => edit.mutate({ kind: "grade", name, steps }, { onError: refuse })}
        />
      )}
    </Flex>
  );
}

interface FieldProps {
  entry: LedgerEntry;
  parameter: Parameter;
  commit: (value: Value) => void;
}

function Field({ entry, parameter, commit }: FieldProps) {
  const stored = entry.override ?? entry.derived;
  const constant: unknown = stored?.["constant"];
  const colour = rgbOf(constant);
  const label = parameter.name;
  const tryValue = useTryValue();
  if (colour !== undefined) {
    return (
      <ColourField
        label={label}
        value={colour}
        high={parameter.high}
        onCommit={commit}
        onTry={(tried) => tryValue(label, tried)}
      />
    );
  }
  if (typeof constant === "boolean") {
    return <Switch size="small" aria-label={label} checked={constant} onChange={commit} />;
  }
  if (typeof constant === "number" && parameter.options.length > 0) {
    return (
      <Select
        size="small"
        className="field-with-unit"
        aria-label={label}
        value={constant}
        options={parameter.options}
        onChange={commit}
      />
    );
  }
  if (typeof constant === "number") return <OwnNumber parameter={parameter} value={constant} commit={commit} />;
  return <MapValue entry={entry} parameter={parameter} commit={commit} />;
}

function OwnNumber({
  parameter,
  value,
  commit,
}: {
  parameter: Parameter;
  value: number;
  commit: (value: number) => void;
}) {
  const { name, low, high, unit } = parameter;
  const tryValue = useTryValue();
  return (
    <NumberField
      label={name}
      value={value}
      low={low}
      high={high}
      unit={unit}
      onCommit={commit}
      onTry={(tried) => tryValue(name, tried)}
    />
  );
}

/** A map cannot be typed; a constant can be set in its place, and taken back. */
function MapValue({ entry, parameter, commit }: FieldProps) {
  const [setting, setSetting] = useState(false);
  const settable = parameter.kind === "number" || parameter.kind === "colour";
  if (!setting) {
    return (
      <span className="small">
        <span className="numbers">{entry.shown}</span>
        {settable && (
          <Button size="small" type="link" onClick={() => setSetting(true)}>
            set one value
          </Button>
        )}
      </span>
    );
  }
  const start: unknown = parameter.default;
  const colour = rgbOf(start);
  if (colour !== undefined)
    return <ColourField label={parameter.name} value={colour} high={parameter.high} onCommit={commit} />;
  return <OwnNumber parameter={parameter} value={Number(start)} commit={commit} />;
}
