import { Button, Flex, Popover, Select } from "antd";
import { useState } from "react";
import { useEdit } from "../../api/edits";
import { useBoard, WHOLE_BOARD } from "../../api/board";
import { useConversion } from "../../api/conversions";
import { useModels } from "../../api/knowledge";
import type { Conversion, Parameter } from "../../api/types";
import { TYPED } from "../../parts/FindField";
import { useSettled } from "../../parts/useSettled";
import { useComplaint } from "../../parts/useComplaint";
import { useTarget } from "../../parts/useTarget";

interface Props {
  conversion: Conversion;
  project: number;
  parameter: Parameter;
}

/** Copies a value from another slot, or from a sibling of the same board. */
export function CopyFrom(props: Props) {
  const [open, setOpen] = useState(false);
  const label = `Copy into ${props.parameter.name}`;
  return (
    <Popover
      trigger="click"
      open={open}
      onOpenChange={setOpen}
      title={label}
      content={open ? <Choice {...props} close={() => setOpen(false)} /> : null}
    >
      <Button size="small" type="text" aria-label={label} title="copy from another slot or material">
        copy…
      </Button>
    </Popover>
  );
}

function Choice({ conversion, project, parameter, close }: Props & { close: () => void }) {
  const [target] = useTarget(project);
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const [chosen, setFrom] = useState<number>();
  const [slot, setSlot] = useState(parameter.name);
  const [typed, type] = useState("");
  const find = useSettled(typed, TYPED) ?? "";
  const rows = useBoard(project, target, { ...WHOLE_BOARD, find }).data?.rows ?? [];
  const other = rows.find((row) => row.conversion_id !== null && row.conversion_id !== conversion.id)?.conversion_id;
  const from = chosen ?? other ?? conversion.id;
  const source = useConversion(from).data;
  const parameters = useModels().data?.find((model) => model.id === source?.target)?.parameters ?? [];
  const alike = parameters.filter(({ kind }) => kind === parameter.kind);
  const all = rows.flatMap((row) =>
    row.conversion_id === null ? [] : [{ value: row.conversion_id, label: row.name }],
  );
  if (source !== undefined && !all.some(({ value }) => value === from))
    all.unshift({ value: from, label: source.name });
  // One copies from others far more often than from the material itself.
  const siblings = [
    ...all.filter(({ value }) => value !== conversion.id),
    ...all.filter(({ value }) => value === conversion.id),
  ];
  const copy = () =>
    edit.mutate(
      { kind: "copy", name: parameter.name, from: { conversion_id: from, name: slot } },
      { onSuccess: close, onError: complain },
    );
  return (
    <Flex vertical gap={8} className="copy-choice">
      <Select
        aria-label="Material to copy from"
        showSearch={{ filterOption: false, onSearch: type }}
        value={from}
        options={siblings}
        onChange={setFrom}
      />
      <Select
        aria-label="Slot to copy from"
        showSearch
        value={slot}
        options={alike.map(({ name }) => ({ value: name, label: name }))}
        onChange={setSlot}
      />
      <Button
        type="primary"
        size="small"
        loading={edit.isPending}
        disabled={from === conversion.id && slot === parameter.name}
        onClick={copy}
      >
        Copy
      </Button>
    </Flex>
  );
}
