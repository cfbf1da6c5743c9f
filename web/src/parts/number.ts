/** Numbers as they are typed and written. */

/** Digits that are shown: what single precision leaves behind them is no one's meaning. */
const DIGITS = 5;

export function spellNumber(value: number): string {
  return String(Number(value.toPrecision(DIGITS)));
}

/** What was typed: a number within its limits, or why it is none. */
export type ReadNumber = { number: number; wrong?: undefined } | { number?: undefined; wrong: string };

/** Read a number, a decimal comma or a percentage. */
export function readNumber(text: string, low: number | null, high: number | null): ReadNumber {
  const plain = text.trim().replace(",", ".");
  const isShare = plain.endsWith("%");
  const bare = isShare ? plain.slice(0, -1).trim() : plain;
  const number = Number(bare) * (isShare ? 0.01 : 1);
  if (bare === "" || !Number.isFinite(number))
    return { wrong: plain === "" ? "a number is wanted" : `${plain} is no number` };
  const said = (limit: number) => (isShare ? `${spellNumber(100 * limit)}%` : spellNumber(limit));
  if (low !== null && number < low) return { wrong: `at least ${said(low)}` };
  if (high !== null && number > high) return { wrong: `at most ${said(high)}` };
  return { number };
}
