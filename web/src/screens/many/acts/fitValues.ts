import { formFor } from "./form";

export const fitValues = formFor<"fit">({
  label: "Fit",
  says: "The computer tunes what is not exact, as on the bench; what a person set stays, and nothing gets worse.",
  empty: { kind: "fit" },
  isComplete: () => true,
});
