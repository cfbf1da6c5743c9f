import { Checkbox, Flex, Input, Segmented, Select, Switch } from "antd";
import { useState } from "react";
import { NO_ACT, type ManyAct } from "../../api/acts";
import { useBoard, WHOLE_BOARD } from "../../api/board";
import { useModels, type Parameter, type Target } from "../../api/queries";
import { ColourField } from "../../parts/ColourField";
import { rgbOf } from "../../parts/colour";
import { Grading } from "../../parts/Grading";
import { NumberField } from "../../parts/NumberField";
import { ACTS, isOfGroups } from "./act";

type Value = ManyAct["values"][string];

interface Props {
  project: number;
  target: Target;
  act: ManyAct;
  change: (act: ManyAct) => void;
}

/** What is done to each: which groups of values, and to what. */
export function ActForm({ project, target, act, change }: Props) {
  const parameters = useModels().data?.find(({ id }) => id === target.model)?.parameters ?? [];
  const groups = [...new Set(parameters.map(({ group }) => group))];
  const toggle = (group: string) => {
    const kept = act.groups.includes(group) ? act.groups.filter((one) => one !== group) : [...act.groups, group];
    const inside = parameters.filter((one) => kept.includes(one.group)).map(({ name }) => name);
    const values = Object.fromEntries(Object.entries(act.values).filter(([name]) => inside.includes(name)));
    change({ ...act, groups: kept, values });
  };
  return (
    <>
      <Segmented
        aria-label="What is done"
        orientation="vertical"
        value={act.kind}
        options={ACTS.map(({ value, label }) => ({ value, label }))}
        onChange={(kind) => change({ ...NO_ACT, kind, groups: act.groups })}
      />
      <span className="small faded">{ACTS.find(({ value }) => value === act.kind)?.says}</span>
      {isOfGroups(act) && (
        <Flex gap={10} wrap role="group" aria-label="Groups of values">
          {groups.map((group) => (
            <Checkbox key={group} checked={act.groups.includes(group)} onChange={() => toggle(group)}>
              {group}
            </Checkbox>
          ))}
        </Flex>
      )}
      {act.kind === "set" && (
        <Values parameters={parameters.filter(({ group }) => act.groups.includes(group))} act={act} change={change} />
      )}
      {act.kind === "copy" && <Source project={project} target={target} act={act} change={change} />}
      {act.kind === "variant" && (
        <Input
          className="field-wide"
          value={act.name}
          maxLength={80}
          placeholder="after each name: “wet”"
          aria-label="What is put after each name"
          onChange={(event) => change({ ...act, name: event.target.value })}
        />
      )}
      {act.kind === "grade" && <Graded parameters={parameters} act={act} change={change} />}
    </>
  );
}

function Values({ parameters, act, change }: Pick<Props, "act" | "change"> & { parameters: Parameter[] }) {
  const put = (name: string, value: Value | undefined) => {
    const others = Object.fromEntries(Object.entries(act.values).filter(([other]) => other !== name));
    change({ ...act, values: value === undefined ? others : { ...others, [name]: value } });
  };
  return (
    <div className="many-values">
      {parameters.map((parameter) => {
        const { name } = parameter;
        const value = act.values[name];
        return (
          <Flex key={name} gap={10} align="center" className="many-value">
            <Checkbox
              checked={value !== undefined}
              onChange={(event) => put(name, event.target.checked ? (parameter.default as Value) : undefined)}
            >
              <span title={parameter.says}>{name}</span>
            </Checkbox>
            {value !== undefined && <ValueField parameter={parameter} value={value} put={(to) => put(name, to)} />}
          </Flex>
        );
      })}
    </div>
  );
}

function ValueField({ parameter, value, put }: { parameter: Parameter; value: Value; put: (value: Value) => void }) {
  const { name, low, high, unit, options } = parameter;
  const colour = rgbOf(value);
  if (colour !== undefined) return <ColourField label={name} value={colour} high={high} onCommit={put} />;
  if (typeof value === "boolean") return <Switch size="small" aria-label={name} checked={value} onChange={put} />;
  if (options.length > 0)
    return <Select size="small" aria-label={name} className="field" value={value} options={options} onChange={put} />;
  return <NumberField label={name} value={Number(value)} low={low} high={high} unit={unit} onCommit={put} />;
}

function Source({ project, target, act, change }: Props) {
  const [find, setFind] = useState("");
  const rows = useBoard(project, target, { ...WHOLE_BOARD, find }).data?.rows ?? [];
  const options = rows.flatMap((row) =>
    row.conversion_id === null ? [] : [{ value: row.conversion_id, label: row.name }],
  );
  return (
    <Select
      aria-label="Material to copy from"
      className="field-wide"
      placeholder="Copy from…"
      showSearch={{ filterOption: false, onSearch: setFind }}
      value={act.from_id === 0 ? null : act.from_id}
      options={options}
      onChange={(from_id) => change({ ...act, from_id })}
    />
  );
}

function Graded({ parameters, act, change }: Pick<Props, "act" | "change"> & { parameters: Parameter[] }) {
  const gradable = parameters.filter(({ kind }) => kind === "number" || kind === "colour");
  const chosen = gradable.find(({ name }) => name === act.name);
  return (
    <>
      <Select
        aria-label="Value to grade"
        className="field-wide"
        placeholder="Value…"
        showSearch
        value={chosen?.name ?? null}
        options={gradable.map(({ name }) => ({ value: name, label: name }))}
        onChange={(name) => change({ ...act, name, steps: [] })}
      />
      {chosen !== undefined && (
        <Grading
          label={chosen.name}
          kind={chosen.kind}
          steps={act.steps}
          onTry={() => undefined}
          onCommit={(steps) => change({ ...act, steps })}
        />
      )}
    </>
  );
}
