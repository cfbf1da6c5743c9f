import { Flex, Input, Select } from "antd";
import { useState } from "react";
import { hexOf, NOTATIONS, parse, spell, type Notation, type Rgb } from "./colour";

interface Props {
  label: string;
  value: Rgb;
  onCommit: (value: Rgb) => void;
  onTry?: (value: Rgb | undefined) => void;
}

/**
 * A colour: a chip, and its numbers in the notation that one likes; Enter sets it. onTry: told what the field holds before it is set, and
 * undefined when that is over.
 */
export function ColourField({ label, value, onCommit, onTry }: Props) {
  const [notation, setNotation] = useState<Notation>("linear");
  const [typed, setTyped] = useState<string>();
  const parsed = typed === undefined ? value : parse(typed, notation);
  const commit = () => {
    if (typed !== undefined && parsed !== undefined) onCommit(parsed);
    else onTry?.(undefined);
    setTyped(undefined);
  };
  return (
    <Flex gap={4} align="center">
      <ColourChip value={parsed ?? value} />
      <Input
        size="small"
        className="numbers field"
        aria-label={label}
        status={parsed === undefined ? "error" : ""}
        value={typed ?? spell(value, notation)}
        onChange={(event) => {
          setTyped(event.target.value);
          onTry?.(parse(event.target.value, notation));
        }}
        onPressEnter={commit}
        onBlur={commit}
      />
      <Select
        size="small"
        className="field-notation"
        aria-label={`${label}, notation`}
        variant="borderless"
        value={notation}
        options={NOTATIONS.map((name) => ({ value: name, label: name }))}
        onChange={setNotation}
      />
    </Flex>
  );
}

export function ColourChip({ value }: { value: Rgb }) {
  return <span aria-hidden className="colour-chip" style={{ background: hexOf(value) }} />;
}
