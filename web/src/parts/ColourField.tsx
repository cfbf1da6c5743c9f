import { Flex, Input, Select } from "antd";
import { useState } from "react";
import { hexOf, NOTATIONS, read, spell, type Read, type Rgb } from "./colour";
import { Typed } from "./Typed";
import { useNotation } from "./useNotation";

interface Props {
  label: string;
  value: Rgb;
  /** The most that a linear value may be. */
  high?: number | null;
  onCommit: (value: Rgb) => void;
  onTry?: (value: Rgb | undefined) => void;
}

/**
 * A colour: a chip, and its numbers in the notation that one likes; Enter sets it. What is no colour stays in the field, marked, and the field
 * says why. onTry: told what the field holds before it is set, and undefined when that is over.
 */
export function ColourField({ label, value, high, onCommit, onTry }: Props) {
  const [notation, setNotation] = useNotation();
  const [typed, setTyped] = useState<string>();
  const found: Read = typed === undefined ? { colour: value } : read(typed, notation, high ?? Infinity);
  const shown = typed ?? spell(value, notation);
  const commit = () => {
    if (typed !== undefined && found.colour === undefined) return;
    if (typed !== undefined && typed !== spell(value, notation) && found.colour !== undefined) onCommit(found.colour);
    else onTry?.(undefined);
    setTyped(undefined);
  };
  return (
    <Flex gap={4} align="center">
      <ColourChip value={found.colour ?? value} />
      <Typed wrong={found.wrong}>
        <Input
          size="small"
          className="numbers"
          style={{ width: `${Math.max(shown.length, 7) + 3}ch` }}
          aria-label={label}
          aria-invalid={found.wrong !== undefined}
          status={found.wrong === undefined ? "" : "error"}
          value={shown}
          onChange={(event) => {
            setTyped(event.target.value);
            onTry?.(read(event.target.value, notation, high ?? Infinity).colour);
          }}
          onPressEnter={commit}
          onBlur={commit}
          onKeyDown={(event) => {
            if (event.key !== "Escape") return;
            setTyped(undefined);
            onTry?.(undefined);
          }}
        />
      </Typed>
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
