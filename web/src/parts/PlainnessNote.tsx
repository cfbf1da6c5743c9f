import type { Plainness } from "../api/types";

/** How plain values are, in words; which are unusual, and which extensions they need, where one points. */
export function PlainnessNote({ plainness }: { plainness: Plainness }) {
  const details = [...plainness.unusual.map(({ text }) => text), ...plainness.extensions];
  return (
    <span className="small" title={details.join("\n")}>
      {plainness.text}
    </span>
  );
}
