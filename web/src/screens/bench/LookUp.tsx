import { Button, Popover } from "antd";
import { useState } from "react";
import { useTables } from "../../api/knowledge";
import type { Parameter, Tables } from "../../api/types";
import { ColourChip } from "../../parts/ColourField";
import type { Rgb } from "../../parts/colour";

type Looked = number | Rgb;
type TableName = Exclude<Parameter["looked_up_in"], "">;

interface Row {
  key: string;
  title: string;
  shown: string;
  source: string;
  value: Looked;
}

const TITLES: Record<TableName, string> = {
  indices: "Indices of refraction",
  finishes: "Usual roughness by finish",
  "metal colours": "Measured metals, under daylight",
  "metal tints": "Measured metals, under daylight",
};

/** Tables at hand where a value is typed: indices of refraction, usual roughness by finish, measured metals. */
export function LookUp({ parameter, take }: { parameter: Parameter; take: (value: Looked) => void }) {
  const [open, setOpen] = useState(false);
  const tables = useTables().data;
  if (tables === undefined || parameter.looked_up_in === "") return null;
  const takeRow = (row: Row) => {
    take(row.value);
    setOpen(false);
  };
  return (
    <Popover
      trigger="click"
      open={open}
      onOpenChange={setOpen}
      title={TITLES[parameter.looked_up_in]}
      content={<Rows rows={rowsOf(tables, parameter.looked_up_in)} take={takeRow} />}
    >
      <Button size="small" type="text" aria-label={`Look up ${parameter.name}`} title="look it up in a table">
        look up…
      </Button>
    </Popover>
  );
}

function Rows({ rows, take }: { rows: Row[]; take: (row: Row) => void }) {
  return (
    <div className="looked-up">
      {rows.map((row) => (
        <Button key={row.key} type="text" block onClick={() => take(row)}>
          {Array.isArray(row.value) ? <ColourChip value={row.value} /> : <span />}
          <span>
            {row.title} <span className="faded smaller">{row.source}</span>
          </span>
          <span className="numbers">{row.shown}</span>
        </Button>
      ))}
    </div>
  );
}

function rowsOf(tables: Tables, name: TableName): Row[] {
  if (name === "indices") {
    return tables.indices.map(({ id, title, source, value }) => ({
      key: id,
      title,
      source,
      value,
      shown: value.toFixed(3),
    }));
  }
  if (name === "finishes") {
    return tables.finishes.map(({ id, title, source, value, low, high }) => ({
      key: id,
      title,
      source,
      value,
      shown: `${low ?? ""}–${high ?? ""}`,
    }));
  }
  return tables.metals.map((metal) => ({
    key: metal.id,
    title: metal.title,
    shown: name === "metal tints" ? "tint" : "facing",
    source: metal.outside == null ? metal.source : `${metal.source}; cut to Rec.709`,
    value: (name === "metal tints" ? metal.tint : metal.colour) as Rgb,
  }));
}
