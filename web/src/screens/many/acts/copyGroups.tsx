import { Select } from "antd";
import { useState } from "react";
import type { ActOf } from "../../../api/acts";
import { useBoard, WHOLE_BOARD } from "../../../api/board";
import { TYPED } from "../../../parts/FindField";
import { useSettled } from "../../../parts/useSettled";
import { formFor, type FieldsProps } from "./form";
import { Groups } from "./Groups";

type CopyGroups = ActOf<"copy">;

export const copyGroups = formFor<"copy">({
  label: "Copy groups",
  says: "All of these groups as another material has them, maps too.",
  empty: { kind: "copy", groups: [], from_id: 0 },
  isComplete: ({ groups, from_id }) => groups.length > 0 && from_id !== 0,
  Fields,
});

function Fields({ project, target, parameters, act, change }: FieldsProps<CopyGroups>) {
  const [typed, type] = useState("");
  const find = useSettled(typed, TYPED) ?? "";
  const rows = useBoard(project, target, { ...WHOLE_BOARD, find }).data?.rows ?? [];
  const options = rows.flatMap((row) =>
    row.conversion_id === null ? [] : [{ value: row.conversion_id, label: row.name }],
  );
  return (
    <>
      <Groups parameters={parameters} groups={act.groups} choose={(groups) => change({ ...act, groups })} />
      <Select
        aria-label="Material to copy from"
        className="field-wide"
        placeholder="Copy from…"
        showSearch={{ filterOption: false, onSearch: type }}
        value={act.from_id === 0 ? null : act.from_id}
        options={options}
        onChange={(from_id) => change({ ...act, from_id })}
      />
    </>
  );
}
