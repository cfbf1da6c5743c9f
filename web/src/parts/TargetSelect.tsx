import { Select } from "antd";
import type { Target } from "../api/types";
import { targetOptions } from "./useTarget";

interface Props {
  target: Target;
  targets: Target[];
  choose: (key: string) => void;
}

/** The target that a page shows, and the others. */
export function TargetSelect({ target, targets, choose }: Props) {
  return (
    <Select
      aria-label="Target"
      className="field"
      value={target.key}
      options={targetOptions(targets)}
      onChange={choose}
    />
  );
}
