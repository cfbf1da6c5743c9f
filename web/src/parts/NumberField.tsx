import { InputNumber, Slider } from "antd";
import { useState } from "react";

interface Props {
  label: string;
  value: number;
  low: number | null;
  high: number | null;
  unit: string;
  onCommit: (value: number) => void;
  onTry?: (value: number | undefined) => void;
}

/**
 * A number with exact typing, arrow-key steps and its unit; Enter or leaving the field sets it. onTry: told what the field holds before it is
 * set, and undefined when that is over; a field with both limits can then be dragged as well.
 */
export function NumberField({ label, value, low, high, unit, onCommit, onTry }: Props) {
  const [typed, setTyped] = useState<number>();
  const hold = (next: number | undefined) => {
    setTyped(next);
    onTry?.(next);
  };
  const commit = () => {
    if (typed !== undefined && typed !== value) onCommit(typed);
    else onTry?.(undefined);
    setTyped(undefined);
  };
  const number = (
    <InputNumber
      size="small"
      className={unit === "" ? "numbers field-number" : "numbers field-with-unit"}
      aria-label={label}
      value={typed ?? Number(value.toPrecision(6))}
      step={0.01}
      {...(low === null ? {} : { min: low })}
      {...(high === null ? {} : { max: high })}
      {...(unit === "" ? {} : { suffix: unit })}
      onChange={(next) => hold(next ?? undefined)}
      onPressEnter={commit}
      onBlur={commit}
    />
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
        value={typed ?? value}
        tooltip={{ open: false }}
        onChange={hold}
        onChangeComplete={(next) => {
          setTyped(undefined);
          if (next === value) onTry(undefined);
          else onCommit(Number(next.toPrecision(6)));
        }}
      />
    </>
  );
}
