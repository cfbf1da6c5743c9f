import { Input } from "antd";
import { formFor } from "./form";

export const makeVariants = formFor<"variant">({
  label: "Make variants",
  says: "A second version of each, to be tuned without touching the first.",
  empty: { kind: "variant", name: "" },
  isComplete: ({ name }) => name.trim() !== "",
  Fields: ({ act, change }) => (
    <Input
      className="field-wide"
      value={act.name}
      maxLength={80}
      placeholder="after each name: “wet”"
      aria-label="What is put after each name"
      onChange={(event) => change({ ...act, name: event.target.value })}
    />
  ),
});
