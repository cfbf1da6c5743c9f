import { Select } from "antd";
import type { ActOf } from "../../../api/acts";
import { Grading } from "../../../parts/Grading";
import { formFor, type FieldsProps } from "./form";

type GradeValue = ActOf<"grade">;

export const gradeValue = formFor<"grade">({
  label: "Grade",
  says: "The same steps on one value of each, constant or map.",
  empty: { kind: "grade", name: "", steps: [] },
  isComplete: ({ name }) => name !== "",
  Fields,
});

function Fields({ parameters, act, change }: FieldsProps<GradeValue>) {
  const gradable = parameters.filter(({ kind }) => kind === "number" || kind === "colour");
  const chosen = gradable.find(({ name }) => name === act.name);
  return (
    <>
      <Select
        aria-label="Value to grade"
        className="field-wide"
        placeholder="Value…"
        showSearch
        value={chosen?.name ?? null}
        options={gradable.map(({ name }) => ({ value: name, label: name }))}
        onChange={(name) => change({ ...act, name, steps: [] })}
      />
      {chosen !== undefined && (
        <Grading
          label={chosen.name}
          kind={chosen.kind}
          steps={act.steps}
          onTry={() => undefined}
          onCommit={(steps) => change({ ...act, steps })}
        />
      )}
    </>
  );
}
