import { formFor } from "./form";

export const mergeAlike = formFor<"merge">({
  label: "Merge",
  says: "One material stands for all that are equal to it, or differ by no more than a match allows.",
  empty: { kind: "merge" },
  isComplete: () => true,
});
