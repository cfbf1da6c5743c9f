import type { OutsideCheck } from "../../api/types";

/** Whose look it is, in words. */
export function sideName({ by, shows }: OutsideCheck["first"]): string {
  return `${shows}, ${by === "ours" ? "ours" : "the other renderer’s"}`;
}

/** Which two looks are compared, in few words: the two may show the same thing, drawn twice. */
export function pairName({ first, second }: OutsideCheck): string {
  const theirs = (side: OutsideCheck["first"]) => (side.by === "ours" ? "our" : "their");
  return `${theirs(first)} ${first.shows} · ${theirs(second)} ${second.shows}`;
}
