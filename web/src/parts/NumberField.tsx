import { InputNumber } from "antd";
import { useState } from "react";

interface Props {
  label: string;
  value: number;
  low: number | null;
  high: number | null;
  unit: string;
  onCommit: (value: number) => void;
}

/** A number with exact typing, arrow-key steps and its unit; Enter or leaving the field sets it. */
export function NumberField({ label, value, low, high, unit, onCommit }: Props) {
  const [typed, setTyped] = useState<number>();
  const commit = () => {
    if (typed !== undefined && typed !== value) onCommit(typed);
    setTyped(undefined);
  };
  return (
    <InputNumber
      size="small"
      className={unit === "" ? "numbers field-number" : "numbers field-with-unit"}
      aria-label={label}
      value={typed ?? Number(value.toPrecision(6))}
      step={0.01}
      {...(low === null ? {} : { min: low })}
      {...(high === null ? {} : { max: high })}
      {...(unit === "" ? {} : { suffix: unit })}
      onChange={(next) => setTyped(next ?? undefined)}
      onPressEnter={commit}
      onBlur={commit}
    />
  );
}
