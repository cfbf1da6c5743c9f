import { Button, Flex, Select } from "antd";
import { useState } from "react";
import { kindsFor, stepsOf, takenFrom, type Step, type Taken } from "./grading";
import { NumberField } from "./NumberField";

interface Props {
  label: string;
  kind: string;
  steps: readonly unknown[];
  /** Told what the steps would be while one is dragged or typed, and undefined when that is over. */
  onTry: (steps: Step[] | undefined) => void;
  onCommit: (steps: Step[]) => void;
}

/** The steps taken on a value, in their order: each is moved, taken out again, or added at the end. */
export function Grading({ label, kind, steps, onTry, onCommit }: Props) {
  const taken = takenFrom(steps, kind);
  const kinds = kindsFor(kind);
  const [begun, setBegun] = useState<Taken>();
  const shown = begun === undefined ? taken : [...taken, begun];
  const withNumber = (at: number, part: number, number: number) =>
    shown.map((one, index) =>
      index === at ? { ...one, numbers: one.numbers.map((old, place) => (place === part ? number : old)) } : one,
    );
  const keep = (next: Taken[]) => {
    setBegun(undefined);
    onTry(undefined);
    onCommit(stepsOf(next));
  };
  const add = (name: string) => {
    const found = kinds.find((candidate) => candidate.name === name);
    if (found === undefined) return;
    const step = { kind: found, numbers: found.start };
    if (found.parts.length === 0) keep([...shown, step]);
    else setBegun(step);
  };
  const takeOut = (at: number) => {
    if (at >= taken.length) setBegun(undefined);
    else keep(taken.filter((_, index) => index !== at));
  };
  return (
    <Flex vertical gap={6} role="group" aria-label={`${label}, graded`} className="grading">
      {shown.map((one, at) => (
        <Flex key={`${at} ${one.kind.name}`} gap={8} align="center" wrap>
          <span className="grading-name">{one.kind.title}</span>
          {one.kind.parts.map((part, place) => (
            <NumberField
              key={part}
              label={`${label}, ${one.kind.title.toLowerCase()}${part === "" ? "" : `, ${part}`}`}
              value={one.numbers[place] ?? 0}
              low={one.kind.low}
              high={one.kind.high}
              unit={one.kind.unit}
              onCommit={(number) => keep(withNumber(at, place, number))}
              onTry={(number) => onTry(number === undefined ? undefined : stepsOf(withNumber(at, place, number)))}
            />
          ))}
          <Button size="small" type="text" aria-label={`Take ${one.kind.title} out`} onClick={() => takeOut(at)}>
            ×
          </Button>
        </Flex>
      ))}
      <Select
        aria-label={`Another step on ${label}`}
        size="small"
        className="field"
        placeholder="Add a step…"
        value={null}
        options={kinds.map(({ name, title }) => ({ value: name, label: title }))}
        onChange={add}
      />
    </Flex>
  );
}
