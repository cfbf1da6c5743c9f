import { Checkbox, Flex, Select, Switch } from "antd";
import type { ActOf } from "../../../api/acts";
import type { Parameter } from "../../../api/types";
import { ColourField } from "../../../parts/ColourField";
import { rgbOf } from "../../../parts/colour";
import { NumberField } from "../../../parts/NumberField";
import { formFor, type FieldsProps } from "./form";
import { Groups } from "./Groups";

type SetValues = ActOf<"set">;
type Value = SetValues["values"][string];

export const setValues = formFor<"set">({
  label: "Replace values",
  says: "These values stand, and the rest of the group as it was derived.",
  empty: { kind: "set", groups: [], values: {} },
  isComplete: ({ groups, values }) => groups.length > 0 && Object.keys(values).length > 0,
  Fields,
});

function Fields({ parameters, act, change }: FieldsProps<SetValues>) {
  const inside = (groups: string[]) => parameters.filter(({ group }) => groups.includes(group));
  const choose = (groups: string[]) => {
    const names = inside(groups).map(({ name }) => name);
    const values = Object.fromEntries(Object.entries(act.values).filter(([name]) => names.includes(name)));
    change({ ...act, groups, values });
  };
  const put = (name: string, value: Value | undefined) => {
    const others = Object.fromEntries(Object.entries(act.values).filter(([other]) => other !== name));
    change({ ...act, values: value === undefined ? others : { ...others, [name]: value } });
  };
  return (
    <>
      <Groups parameters={parameters} groups={act.groups} choose={choose} />
      <div className="many-values">
        {inside(act.groups).map((parameter) => {
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
    </>
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
