import { Button, Flex, Select, Switch } from "antd";
import { useState } from "react";
import { client, unwrap, type Schemas } from "../../api/client";
import type { Conversion, LedgerEntry, Parameter } from "../../api/queries";
import { ColourField } from "../../parts/ColourField";
import { rgbOf } from "../../parts/colour";
import { NumberField } from "../../parts/NumberField";
import { palette } from "../../theme";
import { CopyFrom } from "./CopyFrom";
import { LookUp } from "./LookUp";
import { madeOn, useEdit } from "./useEdit";

type Value = Schemas["OverrideIn"]["value"];

interface Props {
  entry: LedgerEntry;
  parameter: Parameter;
  conversion: Conversion;
  project: number;
}

/** A target value: typed exactly, looked up, copied, or put back to what the rules gave. Every edit names the version it was made on. */
export function TargetValue({ entry, parameter, conversion, project }: Props) {
  const edit = useEdit(conversion, project);
  const commit = (value: Value | undefined) => edit.mutate(() => send(conversion, parameter.name, value));
  return (
    <Flex gap={6} align="center" wrap style={{ minHeight: 26 }}>
      <span style={{ fontSize: 13, width: 178, overflowWrap: "anywhere" }} title={parameter.says}>{parameter.name}</span>
      <Field entry={entry} parameter={parameter} commit={commit} />
      <span className="at-hand">
        <LookUp parameter={parameter} take={commit} />
        <CopyFrom conversion={conversion} project={project} parameter={parameter} />
      </span>
      {entry.override !== null && (
        <Button size="small" type="link" style={{ padding: 0 }} onClick={() => commit(undefined)}>
          put back{entry.shown_derived !== "" ? <span className="numbers" style={{ color: palette.faded }}> {entry.shown_derived}</span> : ""}
        </Button>
      )}
    </Flex>
  );
}

function send(conversion: Conversion, name: string, value: Value | undefined) {
  const params = { path: { conversion_id: conversion.id, name }, header: madeOn(conversion) };
  return value === undefined
    ? unwrap(client.DELETE("/api/v1/conversions/{conversion_id}/values/{name}", { params }))
    : unwrap(client.PATCH("/api/v1/conversions/{conversion_id}/values/{name}", { params, body: { value } }));
}

function Field({ entry, parameter, commit }: { entry: LedgerEntry; parameter: Parameter; commit: (value: Value) => void }) {
  const stored = entry.override ?? entry.derived;
  const constant: unknown = stored?.["constant"];
  const colour = rgbOf(constant);
  const label = parameter.name;
  if (colour !== undefined) return <ColourField label={label} value={colour} onCommit={commit} />;
  if (typeof constant === "boolean") return <Switch size="small" aria-label={label} checked={constant} onChange={commit} />;
  if (typeof constant === "number" && parameter.options.length > 0) {
    return <Select size="small" aria-label={label} value={constant} style={{ width: 160 }} options={parameter.options} onChange={commit} />;
  }
  if (typeof constant === "number") return <NumberField label={label} value={constant} low={parameter.low} high={parameter.high} unit={parameter.unit} onCommit={commit} />;
  return <MapValue entry={entry} parameter={parameter} commit={commit} />;
}

/** A map cannot be typed; a constant can be set in its place, and taken back. */
function MapValue({ entry, parameter, commit }: { entry: LedgerEntry; parameter: Parameter; commit: (value: Value) => void }) {
  const [setting, setSetting] = useState(false);
  const settable = parameter.kind === "number" || parameter.kind === "colour";
  if (!setting) {
    return (
      <span style={{ fontSize: 13 }}>
        <span className="numbers">{entry.shown}</span>
        {settable && <Button size="small" type="link" onClick={() => setSetting(true)}>set one value</Button>}
      </span>
    );
  }
  const start: unknown = parameter.default;
  const colour = rgbOf(start);
  if (colour !== undefined) return <ColourField label={parameter.name} value={colour} onCommit={commit} />;
  return <NumberField label={parameter.name} value={Number(start)} low={parameter.low} high={parameter.high} unit={parameter.unit} onCommit={commit} />;
}
