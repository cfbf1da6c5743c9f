import { formFor } from "./form";
import { Groups } from "./Groups";

export const resetGroups = formFor<"reset">({
  label: "Reset",
  says: "What was derived stands again in these groups.",
  empty: { kind: "reset", groups: [] },
  isComplete: ({ groups }) => groups.length > 0,
  Fields: ({ parameters, act, change }) => (
    <Groups parameters={parameters} groups={act.groups} choose={(groups) => change({ ...act, groups })} />
  ),
});
