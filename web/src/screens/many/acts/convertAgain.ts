import { formFor } from "./form";

export const convertAgain = formFor<"convert again">({
  label: "Convert again",
  says: "By today's rules, where an older version made it; values that were set over derived ones stay.",
  empty: { kind: "convert again" },
  isComplete: () => true,
});
