import type { Aim } from "../api/types";

/** What converted values can be good for, in words. */
export const AIMS: { aim: Aim; says: string }[] = [
  { aim: "plain", says: "Values that a person would keep, of those that look the same." },
  { aim: "nearest", says: "The least difference, whatever the values." },
  {
    aim: "physical",
    says: "What the author meant rather than what the old renderer drew; it looks different on purpose.",
  },
];
