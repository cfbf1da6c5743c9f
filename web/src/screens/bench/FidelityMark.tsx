const SIGNS: Record<string, string> = { exact: "=", equivalent: "≡", approximated: "≈", assumed: "?", dropped: "×", "set by hand": "✎", default: "·" };

/** How faithful a value is: a sign and a word. */
export function FidelityMark({ fidelity }: { fidelity: string }) {
  const weight = fidelity === "dropped" || fidelity === "set by hand" ? 650 : 450;
  return <span style={{ fontSize: 13, fontWeight: weight }}><span aria-hidden className="numbers">{SIGNS[fidelity] ?? ""}</span> {fidelity}</span>;
}
