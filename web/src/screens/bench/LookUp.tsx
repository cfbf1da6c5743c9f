import { Button, Popover } from "antd";
import { useState } from "react";
import { useTables, type Parameter, type Tables } from "../../api/queries";
import { ColourChip } from "../../parts/ColourField";
import { palette } from "../../theme";

type Looked = number | [number, number, number];
interface Row {
  key: string;
  title: string;
  shown: string;
  source: string;
  value: Looked;
}

/** Tables at hand where a value is typed: indices of refraction, usual roughness by finish, measured metals. */
export function LookUp({ parameter, take }: { parameter: Parameter; take: (value: Looked) => void }) {
  const [open, setOpen] = useState(false);
  const tables = useTables().data;
  const rows = tables === undefined ? [] : rowsFor(parameter, tables);
  if (rows.length === 0) return null;
  return (
    <Popover trigger="click" open={open} onOpenChange={setOpen} title={titleFor(parameter)} content={
      <div style={{ maxHeight: 320, overflow: "auto", width: 400 }}>
        {rows.map((row) => (
          <Button key={row.key} type="text" block style={{ display: "grid", gridTemplateColumns: "20px 1fr 84px", columnGap: 8, textAlign: "left", height: "auto", padding: "3px 6px" }} onClick={() => {
            take(row.value);
            setOpen(false);
          }}>
            {Array.isArray(row.value) ? <ColourChip value={row.value} /> : <span />}
            <span>{row.title} <span style={{ color: palette.faded, fontSize: 12, whiteSpace: "normal" }}>{row.source}</span></span>
            <span className="numbers">{row.shown}</span>
          </Button>
        ))}
      </div>
    }>
      <Button size="small" type="text" aria-label={`Look up ${parameter.name}`} title="look it up in a table">look up…</Button>
    </Popover>
  );
}

function titleFor(parameter: Parameter): string {
  if (isIndex(parameter)) return "Indices of refraction";
  return isRoughness(parameter) ? "Usual roughness by finish" : "Measured metals, under daylight";
}

function isIndex({ name }: Parameter): boolean {
  return /(^|_)ior$/i.test(name);
}

function isRoughness({ name, kind }: Parameter): boolean {
  return kind === "number" && /roughness$/i.test(name) && !/diffuse/i.test(name);
}

const METAL_COLOURS = ["base_color", "diffuseColor"];

function rowsFor(parameter: Parameter, tables: Tables): Row[] {
  if (isIndex(parameter)) return tables.indices.map((entry) => ({ key: entry.id, title: entry.title, shown: entry.value.toFixed(3), source: entry.source, value: entry.value }));
  if (isRoughness(parameter)) {
    return tables.finishes.map((entry) => ({ key: entry.id, title: entry.title, shown: `${entry.low ?? ""}–${entry.high ?? ""}`, source: entry.source, value: entry.value }));
  }
  const tint = parameter.name === "specular_color" && parameter.group === "reflection";
  if (!tint && !METAL_COLOURS.includes(parameter.name)) return [];
  return tables.metals.map((metal) => ({
    key: metal.id, title: metal.title, shown: tint ? "tint" : "facing", source: metal.outside == null ? metal.source : `${metal.source}; cut to Rec.709`,
    value: (tint ? metal.tint : metal.colour) as [number, number, number],
  }));
}
