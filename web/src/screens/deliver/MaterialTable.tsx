import { Button, Flex, Input, Select, Table, Typography, type TableProps } from "antd";
import { useMemo, useState } from "react";
import type { BoardRow } from "../../api/queries";
import { VERDICTS, VerdictMark } from "../../parts/VerdictMark";

const UNCHECKED = "not checked";
const ANY = "any verdict";
const MOST_NAMED = 4;
const HEIGHT = 300;

interface Props {
  rows: BoardRow[];
  ids: number[];
  choose: (ids: number[]) => void;
}

/** Which materials are written: found by name, filtered by verdict, chosen one by one or all that are shown; those that do not match by name. */
export function MaterialTable({ rows, ids, choose }: Props) {
  const [wanted, setWanted] = useState("");
  const [verdict, setVerdict] = useState(ANY);
  const chosen = useMemo(() => new Set(ids), [ids]);
  const shown = useMemo(
    () =>
      rows.filter(
        (row) =>
          row.name.toLowerCase().includes(wanted.toLowerCase()) && (verdict === ANY || verdictOf(row) === verdict),
      ),
    [rows, wanted, verdict],
  );
  const selection: NonNullable<TableProps<BoardRow>["rowSelection"]> = {
    selectedRowKeys: ids,
    preserveSelectedRowKeys: true,
    columnWidth: 44,
    onChange: (keys) => {
      const taken = new Set(keys);
      choose(rows.filter((row) => taken.has(row.material_id)).map((row) => row.material_id));
    },
    getTitleCheckboxProps: () => ({ "aria-label": "All that are shown" }),
    getCheckboxProps: (row) => ({ "aria-label": row.name }),
  };
  return (
    <>
      <Flex align="center" gap={10} wrap>
        <Typography.Title level={5} className="heading">
          Materials
        </Typography.Title>
        <span className="numbers faded">
          {ids.length} of {rows.length}
        </span>
        <Input.Search
          aria-label="Find by name"
          className="field end"
          placeholder="Find by name"
          allowClear
          onChange={(event) => setWanted(event.target.value)}
        />
        <Select
          aria-label="Verdict"
          className="field"
          value={verdict}
          options={[ANY, ...VERDICTS, UNCHECKED].map((value) => ({ value }))}
          onChange={setVerdict}
        />
      </Flex>
      <Doubtful rows={rows.filter((row) => chosen.has(row.material_id))} choose={choose} />
      <Table
        className="deliver-materials"
        size="small"
        virtual
        scroll={{ y: HEIGHT, x: 400 }}
        pagination={false}
        rowKey="material_id"
        dataSource={shown}
        rowSelection={selection}
        columns={COLUMNS}
      />
    </>
  );
}

const COLUMNS: NonNullable<TableProps<BoardRow>["columns"]> = [
  { title: "name", dataIndex: "name", ellipsis: true },
  { title: "file", dataIndex: "file", ellipsis: true },
  {
    title: "verdict",
    width: 130,
    render: (_, row: BoardRow) =>
      row.verdict === null ? <span className="faded">{UNCHECKED}</span> : <VerdictMark verdict={row.verdict.verdict} />,
  },
];

/** Those of the chosen that do not match, or of which nobody knows, by name; one action leaves them out. */
function Doubtful({ rows, choose }: { rows: BoardRow[]; choose: (ids: number[]) => void }) {
  const doubtful = rows.filter((row) => verdictOf(row) !== "match");
  if (doubtful.length === 0) return <p className="plan-line faded">All of them match.</p>;
  const names = doubtful.slice(0, MOST_NAMED).map((row) => `${row.name} (${verdictOf(row)})`);
  const more = doubtful.length - names.length;
  const matching = rows.filter((row) => verdictOf(row) === "match").map((row) => row.material_id);
  return (
    <p className="plan-line">
      {doubtful.length} of {rows.length} do not match, or are not checked: {names.join(", ")}
      {more > 0 && ` and ${more} more`}.{" "}
      <Button size="small" disabled={matching.length === 0} onClick={() => choose(matching)}>
        Write only what matches
      </Button>
    </p>
  );
}

function verdictOf(row: BoardRow): string {
  return row.verdict?.verdict ?? UNCHECKED;
}
