const SIGNS: Record<string, string> = {
  exact: "=",
  equivalent: "≡",
  approximated: "≈",
  assumed: "?",
  dropped: "×",
  "set by hand": "✎",
  fitted: "∿",
  "by remedy": "✓",
  copied: "⧉",
  default: "·",
};
const STRONG = ["dropped", "set by hand", "fitted", "by remedy", "copied"];

/** How faithful a value is: a sign and a word, or the sign alone with the word for those who listen. */
export function FidelityMark({ fidelity, signOnly = false }: { fidelity: string; signOnly?: boolean }) {
  const sign = SIGNS[fidelity] ?? "";
  if (signOnly) {
    return (
      <span role="img" aria-label={fidelity} className="numbers">
        {sign}
      </span>
    );
  }
  const words = (
    <>
      <span aria-hidden className="numbers">
        {sign}
      </span>{" "}
      {fidelity}
    </>
  );
  return STRONG.includes(fidelity) ? <strong>{words}</strong> : <span>{words}</span>;
}
