import { App, Button, Empty, Flex, Input, Segmented, Select } from "antd";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { useBoard, useConvert, useJobs, type BoardRow } from "../../api/queries";
import { AIMS, useAim } from "../../parts/aims";
import { explain, Failure } from "../../parts/Failure";
import { palette } from "../../theme";
import { BoardRows } from "./BoardRows";

const FILTERS = ["all", "needs attention", "off", "near", "match"] as const;
type Filter = (typeof FILTERS)[number];

/** Every material, original beside converted; what needs attention; acting on many at once. */
export function BoardScreen({ project }: { project: number }) {
  const [aim, chooseAim] = useAim();
  const [filter, setFilter] = useState<Filter>("all");
  const [wanted, setWanted] = useState("");
  const [selected, setSelected] = useState<ReadonlySet<number>>(new Set());
  const board = useBoard(project, aim);
  const shown = useMemo(() => (board.data ?? []).filter((row) => passes(row, filter, wanted)), [board.data, filter, wanted]);
  if (board.error !== null) return <Failure error={board.error} />;
  const missing = (board.data ?? []).filter((row) => row.conversion_id === null).map((row) => row.material_id);
  return (
    <Flex vertical style={{ height: "100%" }}>
      <Flex gap={14} align="center" wrap style={{ padding: "12px 20px", borderBottom: `1px solid ${palette.rule}` }}>
        <Select aria-label="Target" value={aim.key} style={{ width: 190 }} options={AIMS.map(({ key, label }) => ({ value: key, label: `to ${label}` }))} onChange={chooseAim} />
        <Segmented aria-label="Show" value={filter} options={[...FILTERS]} onChange={setFilter} />
        <Input.Search aria-label="Find by name" placeholder="Find by name" allowClear style={{ width: 200 }} onChange={(event) => setWanted(event.target.value)} />
        <span className="numbers" style={{ marginLeft: "auto", color: palette.faded }}>{shown.length} of {board.data?.length ?? 0} materials</span>
      </Flex>
      <ActionBar project={project} selected={selected} clear={() => setSelected(new Set())} missing={missing} />
      {board.data?.length === 0 ? <EmptyBoard /> : <BoardRows rows={shown} aim={aim} selected={selected} select={setSelected} />}
    </Flex>
  );
}

function passes(row: BoardRow, filter: Filter, wanted: string): boolean {
  if (!row.name.toLocaleLowerCase().includes(wanted.toLocaleLowerCase())) return false;
  if (filter === "all") return true;
  if (filter === "needs attention") return row.verdict !== "match" || row.losses.length > 0 || row.findings.some((finding) => finding.severity !== "note");
  return row.verdict === filter;
}

function ActionBar({ project, selected, clear, missing }: { project: number; selected: ReadonlySet<number>; clear: () => void; missing: number[] }) {
  const [aim] = useAim();
  const { message } = App.useApp();
  const navigate = useNavigate();
  const start = useConvert(project, aim);
  const convert = (ids: number[]) => start.mutate(ids, { onSuccess: clear, onError: (error) => void message.error(explain(error)) });
  const converting = (useJobs(project).data ?? []).some((job) => job.kind === "convert" && (job.state === "queued" || job.state === "running"));
  if (selected.size === 0 && (missing.length === 0 || converting)) return null;
  const ids = [...selected];
  return (
    <Flex gap={10} align="center" role="toolbar" aria-label="Selection" style={{ padding: "8px 20px", background: "#ece8df" }}>
      {selected.size > 0 ? (
        <>
          <strong className="numbers">{selected.size} selected</strong>
          <Button size="small" onClick={() => convert(ids)}>Convert and check to {aim.label}</Button>
          <Button size="small" onClick={() => void navigate(`/deliver?to=${aim.key}&materials=${ids.join(",")}`)}>Deliver these</Button>
          <Button size="small" type="text" onClick={clear}>Clear</Button>
        </>
      ) : (
        <>
          <span><strong className="numbers">{missing.length}</strong> not converted to {aim.label} yet.</span>
          <Button size="small" type="primary" loading={start.isPending} onClick={() => convert(missing)}>Convert and check them</Button>
        </>
      )}
    </Flex>
  );
}

function EmptyBoard() {
  const navigate = useNavigate();
  return (
    <Empty style={{ marginTop: 90 }} description="No material is on this board yet.">
      <Button type="primary" onClick={() => void navigate("/take-in")}>Take files in</Button>
    </Empty>
  );
}
