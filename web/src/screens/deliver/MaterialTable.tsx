import { Button, Flex, Select, Table, Typography, type TableProps } from "antd";
import { useState } from "react";
import { countOf, NO_QUESTION, useBoard, WHOLE_BOARD, type Selection } from "../../api/board";
import type { BoardRow, DeliveryPlan, Target } from "../../api/types";
import { FindField } from "../../parts/FindField";
import { VERDICTS, VerdictMark } from "../../parts/VerdictMark";

const UNCHECKED = "not converted";
const ANY = "any verdict";
const MOST = 500;
const HEIGHT = 300;

interface Props {
  project: number;
  target: Target;
  plan: DeliveryPlan | undefined;
  selection: Selection;
  choose: (selection: Selection) => void;
}

/** Which materials are written: found by name, filtered by verdict, chosen one by one or all that are found; those that do not match by name. */
export function MaterialTable({ project, target, plan, selection, choose }: Props) {
  const [find, setFind] = useState("");
  const [verdict, setVerdict] = useState(ANY);
  const question = { ...NO_QUESTION, find, state: verdict === ANY ? "" : verdict };
  const board = useBoard(project, target, { ...WHOLE_BOARD, ...question }, MOST).data;
  const rows = board?.rows ?? [];
  const total = board?.total ?? 0;
  const isIn = chooser(selection);
  const table: NonNullable<TableProps<BoardRow>["rowSelection"]> = {
    selectedRowKeys: rows.filter(isIn).map((row) => row.material_id),
    columnWidth: 44,
    hideSelectAll: true,
    onSelect: (row, taken) => choose(withOne(selection, row.material_id, taken)),
    getCheckboxProps: (row) => ({ "aria-label": row.name }),
  };
  return (
    <>
      <Flex align="center" gap={10} wrap>
        <Typography.Title level={5} className="heading">
          Materials
        </Typography.Title>
        <span className="numbers faded">{countOf(selection)} chosen</span>
        <Button size="small" onClick={() => choose({ question, without: [], total })}>
          Choose the {total} found
        </Button>
        <Button size="small" type="text" onClick={() => choose({ ids: [] })}>
          None
        </Button>
        <FindField className="field end" find={setFind} />
        <Select
          aria-label="Verdict"
          className="field"
          value={verdict}
          options={[ANY, ...VERDICTS, UNCHECKED].map((value) => ({ value }))}
          onChange={setVerdict}
        />
      </Flex>
      {plan !== undefined && <Doubtful plan={plan} selection={selection} choose={choose} />}
      <Table
        className="deliver-materials"
        size="small"
        virtual
        scroll={{ y: HEIGHT, x: 400 }}
        pagination={false}
        rowKey="material_id"
        dataSource={rows}
        rowSelection={table}
        columns={COLUMNS}
      />
      {total > rows.length && <p className="faded small">{total - rows.length} more are found: find them by name.</p>}
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

/** Whether a row of the board, as far as that can be told of what is shown, is in a selection. */
function chooser(selection: Selection): (row: BoardRow) => boolean {
  if ("ids" in selection) return (row) => selection.ids.includes(row.material_id);
  const { question, without } = selection;
  return (row) =>
    !without.includes(row.material_id) &&
    row.name.toLowerCase().includes(question.find.toLowerCase()) &&
    (question.state === "" || (row.verdict?.verdict ?? UNCHECKED) === question.state);
}

function withOne(selection: Selection, id: number, taken: boolean): Selection {
  if ("ids" in selection) {
    const others = selection.ids.filter((other) => other !== id);
    return { ids: taken ? [...others, id] : others };
  }
  const others = selection.without.filter((other) => other !== id);
  return { ...selection, without: taken ? others : [...others, id] };
}

/** How many of the chosen do not match, or are not known to, some by name; one action leaves them out. */
function Doubtful({ plan, selection, choose }: Pick<Props, "selection" | "choose"> & { plan: DeliveryPlan }) {
  if (plan.doubtful === 0) return <p className="plan-line faded">All of them match.</p>;
  const more = plan.doubtful - plan.doubts.length;
  const matching = plan.materials - plan.doubtful;
  return (
    <p className="plan-line">
      {plan.doubtful} of {plan.materials} do not match, or are not checked: {plan.doubts.join(", ")}
      {more > 0 && ` and ${more} more`}.{" "}
      {"question" in selection && selection.question.state === "" && (
        <Button
          size="small"
          disabled={matching === 0}
          onClick={() => choose({ ...selection, question: { ...selection.question, state: "match" }, total: matching })}
        >
          Write only what matches
        </Button>
      )}
    </p>
  );
}
