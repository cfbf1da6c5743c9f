import { Button, Flex, Popover, Select } from "antd";
import { useState } from "react";
import { client, unwrap } from "../../api/client";
import { useBoard, useConversion, useModels, type Conversion, type Parameter } from "../../api/queries";
import { useAim } from "../../parts/aims";
import { madeOn, useEdit } from "./useEdit";

interface Props {
  conversion: Conversion;
  project: number;
  parameter: Parameter;
}

/** Copies a value from another slot, or from a sibling of the same board. */
export function CopyFrom(props: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Popover trigger="click" open={open} onOpenChange={setOpen} title={`Copy into ${props.parameter.name}`} content={open ? <Choice {...props} close={() => setOpen(false)} /> : null}>
      <Button size="small" type="text" aria-label={`Copy into ${props.parameter.name}`} title="copy from another slot or material">copy…</Button>
    </Popover>
  );
}

function Choice({ conversion, project, parameter, close }: Props & { close: () => void }) {
  const [aim] = useAim();
  const edit = useEdit(conversion, project);
  const [from, setFrom] = useState(conversion.id);
  const [slot, setSlot] = useState(parameter.name);
  const source = useConversion(from).data;
  const alike = (useModels().data?.find((model) => model.id === source?.target)?.parameters ?? []).filter((other) => other.kind === parameter.kind);
  const siblings = (useBoard(project, aim).data ?? []).flatMap((row) => (row.conversion_id === null ? [] : [{ value: row.conversion_id, label: row.name }]));
  const copy = () => edit.mutate(
    () => unwrap(client.PUT("/api/v1/conversions/{conversion_id}/values/{name}/copy", {
      params: { path: { conversion_id: conversion.id, name: parameter.name }, header: madeOn(conversion) }, body: { conversion_id: from, name: slot },
    })),
    { onSuccess: close },
  );
  return (
    <Flex vertical gap={8} style={{ width: 300 }}>
      <Select aria-label="Material to copy from" showSearch={{ optionFilterProp: "label" }} value={from} options={siblings} onChange={setFrom} />
      <Select aria-label="Slot to copy from" showSearch value={slot} options={alike.map(({ name }) => ({ value: name, label: name }))} onChange={setSlot} />
      <Button type="primary" size="small" loading={edit.isPending} disabled={from === conversion.id && slot === parameter.name} onClick={copy}>Copy</Button>
    </Flex>
  );
}
