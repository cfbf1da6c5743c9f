import { Input, Slider } from "antd";
import { useState, type KeyboardEvent } from "react";
import { readNumber, spellNumber, type ReadNumber } from "./number";
import { Typed } from "./Typed";

interface Props {
  label: string;
  value: number;
  low: number | null;
  high: number | null;
  unit: string;
  onCommit: (value: number) => void;
  onTry?: (value: number | undefined) => void;
}

const STEP = 0.01;
const LARGE_STEP = 0.1;

/**
 * A number with exact typing, percentages, arrow-key steps and its unit; Enter or leaving the field sets it, Escape takes it back. What cannot
 * be taken stays in the field, marked, and the field says why. onTry: told what the field holds before it is set, and undefined when that is
 * over; a field with both limits can then be dragged as well.
 */
export function NumberField({ label, value, low, high, unit, onCommit, onTry }: Props) {
  const [typed, setTyped] = useState<string>();
  const [dragged, setDragged] = useState<number>();
  const found: ReadNumber = typed === undefined ? { number: value } : readNumber(typed, low, high);
  const hold = (text: string) => {
    setTyped(text);
    onTry?.(readNumber(text, low, high).number);
  };
  const leave = () => {
    setTyped(undefined);
    onTry?.(undefined);
  };
  const commit = () => {
    if (typed === undefined) return;
    if (found.number === undefined) return;
    setTyped(undefined);
    if (found.number !== value && typed !== spellNumber(value)) onCommit(found.number);
    else onTry?.(undefined);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (event.key === "Escape") leave();
    if (way === undefined || found.number === undefined) return;
    event.preventDefault();
    const next = found.number + way * (event.shiftKey ? LARGE_STEP : STEP);
    hold(spellNumber(Math.min(Math.max(next, low ?? -Infinity), high ?? Infinity)));
  };
  const number = (
    <Typed wrong={found.wrong}>
      <Input
        size="small"
        className={unit === "" ? "numbers field-number" : "numbers field-with-unit"}
        aria-label={label}
        aria-invalid={found.wrong !== undefined}
        inputMode="decimal"
        status={found.wrong === undefined ? "" : "error"}
        value={typed ?? spellNumber(dragged ?? value)}
        {...(unit === "" ? {} : { suffix: unit })}
        onChange={(event) => hold(event.target.value)}
        onPressEnter={commit}
        onBlur={commit}
        onKeyDown={onKeyDown}
      />
    </Typed>
  );
  if (onTry === undefined || low === null || high === null) return number;
  return (
    <>
      {number}
      <Slider
        ariaLabelForHandle={`${label}, dragged`}
        className="drag"
        min={low}
        max={high}
        step={(high - low) / 200}
        value={dragged ?? found.number ?? value}
        tooltip={{ open: false }}
        onChange={(next) => {
          setDragged(next);
          onTry(next);
        }}
        onChangeComplete={(next) => {
          setDragged(undefined);
          if (next === value) onTry(undefined);
          else onCommit(Number(next.toPrecision(6)));
        }}
      />
    </>
  );
}
