import { Button, Flex, Select } from "antd";
import type { Parameter, TargetProfile } from "../../api/types";
import { NumberField } from "../../parts/NumberField";
import { spaced } from "../../parts/words";

type Exposed = TargetProfile["exposed"];

interface Props {
  parameters: Parameter[];
  exposed: Exposed;
  change: (exposed: Exposed) => void;
}

/** The values that people at the target may still move, each between two ends. */
export function ExposedValues({ parameters, exposed, change }: Props) {
  const free = parameters.filter(({ name }) => !exposed.some((one) => one.parameter === name));
  const set = (at: number, changed: Partial<Exposed[number]>) =>
    change(exposed.map((one, index) => (index === at ? { ...one, ...changed } : one)));
  const add = (name: string) => {
    const found = parameters.find((parameter) => parameter.name === name);
    change([...exposed, { parameter: name, low: found?.low ?? 0, high: found?.high ?? 1, title: "" }]);
  };
  return (
    <Flex vertical gap={6}>
      {exposed.map((one, index) => {
        const declared = parameters.find(({ name }) => name === one.parameter);
        return (
          <Flex key={one.parameter} gap={8} align="center" wrap>
            <span className="exposed-name">{spaced(one.parameter)}</span>
            <NumberField
              label={`${one.parameter}, minimum`}
              value={one.low}
              low={declared?.low ?? null}
              high={one.high}
              unit=""
              onCommit={(low) => set(index, { low })}
            />
            <span className="faded">to</span>
            <NumberField
              label={`${one.parameter}, maximum`}
              value={one.high}
              low={one.low}
              high={declared?.high ?? null}
              unit=""
              onCommit={(high) => set(index, { high })}
            />
            <Button
              size="small"
              aria-label={`Take ${one.parameter} out`}
              onClick={() => change(exposed.filter((other) => other !== one))}
            >
              ×
            </Button>
          </Flex>
        );
      })}
      <Select
        aria-label="Leave another value adjustable"
        size="small"
        className="field"
        placeholder="Add a value…"
        value={null}
        showSearch
        options={free.map(({ name }) => ({ value: name, label: spaced(name) }))}
        onChange={add}
      />
    </Flex>
  );
}
