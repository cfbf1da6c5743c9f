import { NO_ACT, type ActKind, type ManyAct } from "../../api/acts";

export const ACTS: { value: ActKind; label: string; says: string }[] = [
  { value: "set", label: "Replace values", says: "These values stand, and the rest of the group as it was derived." },
  { value: "copy", label: "Copy groups", says: "All of these groups as another material has them, maps too." },
  { value: "grade", label: "Grade", says: "The same steps on one value of each, constant or map." },
  {
    value: "fit",
    label: "Fit",
    says: "The computer tunes what is not exact, as on the bench; what a person set stays, and nothing gets worse.",
  },
  { value: "put back", label: "Reset", says: "What was derived stands again in these groups." },
  {
    value: "merge",
    label: "Merge",
    says: "One material stands for all that are equal to it, or differ by no more than a match allows.",
  },
  {
    value: "renew",
    label: "Convert again",
    says: "By today's rules, where an older version made it; values that were set over derived ones stay.",
  },
  {
    value: "variant",
    label: "Make variants",
    says: "A second version of each, to be tuned without touching the first.",
  },
];

const OF_GROUPS: ActKind[] = ["set", "copy", "put back"];

/** Whether it is done to groups of values. */
export function isOfGroups(act: ManyAct): boolean {
  return OF_GROUPS.includes(act.kind);
}

/** The kind of act that an address asks for. */
export function kindIn(search: URLSearchParams): ActKind {
  return ACTS.find(({ value }) => value === search.get("kind"))?.value ?? NO_ACT.kind;
}

/** Whether enough is said to begin. */
export function isWhole(act: ManyAct): boolean {
  if (["merge", "renew", "fit"].includes(act.kind)) return true;
  if (act.kind === "grade" || act.kind === "variant") return act.name.trim() !== "";
  if (act.groups.length === 0) return false;
  if (act.kind === "set") return Object.keys(act.values).length > 0;
  return act.kind !== "copy" || act.from_id !== 0;
}
