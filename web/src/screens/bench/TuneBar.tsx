import { App, Button, Flex, Input, Modal, Select } from "antd";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, unwrap } from "../../api/client";
import { keys, usePresets, useShares, type Conversion } from "../../api/queries";
import { percent } from "../../parts/percent";
import { presetOptions } from "../../parts/presetOptions";
import { useAttempt } from "../../parts/useAttempt";
import { palette } from "../../theme";
import { madeOn, useEdit } from "./useEdit";

interface Props {
  conversion: Conversion;
  project: number;
  locked: ReadonlySet<string>;
}

/** Acts on the whole conversion: let the computer tune it, take every change back, compare targets, keep it as a preset. */
export function TuneBar({ conversion, project, locked }: Props) {
  const { message } = App.useApp();
  const navigate = useNavigate();
  const edit = useEdit(conversion, project);
  const error = useShares(conversion.id, conversion.version).data?.error;
  const [naming, setNaming] = useState(false);
  const path = { conversion_id: conversion.id };
  const presets = usePresets().data ?? [];
  const apply = (preset: string) => edit.mutate(() => unwrap(client.POST("/api/v1/conversions/{conversion_id}/preset", { params: { path, header: madeOn(conversion) }, body: { preset } })));
  const changed = conversion.ledger.some((entry) => entry.override !== null);
  const fit = () => edit.mutate(async () => {
    const fitted = await unwrap(client.POST("/api/v1/conversions/{conversion_id}/fit", { params: { path, header: madeOn(conversion) }, body: { locked: [...locked] } }));
    void message.info(fitted.changed.length > 0
      ? `Lobe error ${percent(fitted.before)} → ${percent(fitted.after)}, by ${fitted.changed.join(", ")}.`
      : `Nothing better was found than ${percent(fitted.before)}, with ${fitted.free.length} values free.`, 8);
    return fitted.conversion;
  });
  const putBack = () => edit.mutate(() => unwrap(client.DELETE("/api/v1/conversions/{conversion_id}/values", { params: { path, header: madeOn(conversion) } })));
  return (
    <Flex gap={8} align="center" wrap style={{ marginLeft: "auto" }}>
      {error !== undefined && <span style={{ color: palette.faded, fontSize: 13 }}>lobe error <span className="numbers" style={{ color: palette.ink }}>{percent(error)}</span></span>}
      <Button size="small" type="primary" loading={edit.isPending} onClick={fit}>Fit the rest{locked.size > 0 ? `, ${locked.size} locked` : ""}</Button>
      {changed && <Button size="small" onClick={putBack}>Put all back</Button>}
      <Button size="small" onClick={() => void navigate(`/compare/${conversion.material_id}`)}>All targets</Button>
      {conversion.target === "open_pbr" && (
        <>
          <Select
            aria-label="Apply a named surface" size="small" placeholder="Apply a surface…" value={null} style={{ width: 150 }} popupMatchSelectWidth={220}
            options={presetOptions(presets)} onChange={(preset: string | null) => preset !== null && apply(preset)}
          />
          <Button size="small" onClick={() => setNaming(true)}>Keep as preset</Button>
        </>
      )}
      <KeepPreset conversion={conversion} open={naming} close={() => setNaming(false)} />
    </Flex>
  );
}

function KeepPreset({ conversion, open, close }: { conversion: Conversion; open: boolean; close: () => void }) {
  const { message } = App.useApp();
  const attempt = useAttempt();
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const keep = () => attempt(async () => {
    await unwrap(client.POST("/api/v1/presets", { body: { name, says: `from ${conversion.name}`, color: "base_color", values: constants(conversion) } }));
    await queries.invalidateQueries({ queryKey: keys.presets });
    void message.success(`Kept as “${name}”. Start from it under Take in.`);
    close();
  });
  return (
    <Modal title="Keep as a named surface" open={open} onCancel={close} onOk={() => void keep()} okText="Keep" okButtonProps={{ disabled: name.trim() === "" }}>
      <Input aria-label="Name of the preset" placeholder="Its name" value={name} onChange={(event) => setName(event.target.value)} />
    </Modal>
  );
}

/** The target's constants; maps do not go into a preset. */
function constants(conversion: Conversion): Record<string, unknown> {
  const entries = conversion.ledger.flatMap((entry) => {
    const value = (entry.override ?? entry.derived)?.["constant"];
    return entry.target === "" || value === undefined || entry.target === "occlusion" ? [] : [[entry.target, value] as const];
  });
  return Object.fromEntries(entries);
}
