import { Button, Empty, Flex, Input, Segmented, Select } from "antd";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { useConvert } from "../../api/mutations";
import { useBoard, useJobs, type BoardRow, type Target, type Verdict } from "../../api/queries";
import { Failure } from "../../parts/Failure";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { targetOptions, useTarget } from "../../parts/useTarget";
import { VERDICTS } from "../../parts/VerdictMark";
import { BoardRows } from "./BoardRows";

type Filter = "all" | "needs attention" | Verdict;
const FILTERS: Filter[] = ["all", "needs attention", ...VERDICTS];

/** Every material, original beside converted; what needs attention; acting on many at once. */
export function BoardScreen({ project }: { project: number }) {
  const [target, chooseTarget, targets] = useTarget(project);
  if (target === undefined) return null;
  return <Board project={project} target={target} targets={targets} chooseTarget={chooseTarget} />;
}

interface BoardProps {
  project: number;
  target: Target;
  targets: Target[];
  chooseTarget: (key: string) => void;
}

function Board({ project, target, targets, chooseTarget }: BoardProps) {
  const [search, setSearch] = useSearchParams();
  const filter = FILTERS.find((one) => one === search.get("show")) ?? "all";
  const wanted = search.get("find") ?? "";
  const keep = (name: string, value: string) =>
    setSearch(
      (old) => {
        if (value === "") old.delete(name);
        else old.set(name, value);
        return old;
      },
      { replace: true },
    );
  const [selected, setSelected] = useState<ReadonlySet<number>>(new Set());
  const board = useBoard(project, target);
  const shown = useMemo(
    () => (board.data ?? []).filter((row) => passes(row, filter, wanted)),
    [board.data, filter, wanted],
  );
  if (board.error !== null) return <Failure error={board.error} />;
  const missing = (board.data ?? []).filter((row) => row.conversion_id === null).map((row) => row.material_id);
  return (
    <Flex vertical className="page">
      <Flex gap={14} align="center" wrap className="bar ruled">
        <Select
          aria-label="Target"
          className="field"
          value={target.key}
          options={targetOptions(targets)}
          onChange={chooseTarget}
        />
        <Segmented
          aria-label="Show"
          value={filter}
          options={FILTERS}
          onChange={(show) => keep("show", show === "all" ? "" : show)}
        />
        <Input.Search
          aria-label="Find by name"
          className="field"
          placeholder="Find by name"
          allowClear
          defaultValue={wanted}
          onChange={(event) => keep("find", event.target.value)}
        />
        <span className="numbers faded end">
          {shown.length} of {board.data?.length ?? 0} materials
        </span>
      </Flex>
      <ActionBar
        project={project}
        target={target}
        selected={selected}
        clear={() => setSelected(new Set())}
        missing={missing}
      />
      {board.data?.length === 0 ? (
        <EmptyBoard />
      ) : (
        <BoardRows project={project} rows={shown} target={target} selected={selected} select={setSelected} />
      )}
    </Flex>
  );
}

function passes(row: BoardRow, filter: Filter, wanted: string): boolean {
  if (!row.name.toLocaleLowerCase().includes(wanted.toLocaleLowerCase())) return false;
  if (filter === "all") return true;
  if (filter !== "needs attention") return row.verdict?.verdict === filter;
  const doubtful = row.findings.some((finding) => finding.severity !== "note");
  return row.verdict?.verdict !== "match" || row.losses.length > 0 || doubtful;
}

interface ActionProps {
  project: number;
  target: Target;
  selected: ReadonlySet<number>;
  clear: () => void;
  missing: number[];
}

function ActionBar({ project, target, selected, clear, missing }: ActionProps) {
  const go = useGo();
  const start = useConvert(project, target);
  const complain = useComplaint();
  const convert = (ids: number[]) => start.mutate(ids, { onSuccess: clear, onError: complain });
  const jobs = useJobs(project).data ?? [];
  const converting = jobs.some((job) => job.kind === "convert" && (job.state === "queued" || job.state === "running"));
  if (selected.size === 0 && (missing.length === 0 || converting)) return null;
  const ids = [...selected];
  return (
    <Flex gap={10} align="center" role="toolbar" aria-label="Selection" className="action-bar">
      {selected.size > 0 ? (
        <>
          <strong className="numbers">{selected.size} selected</strong>
          <Button size="small" onClick={() => convert(ids)}>
            Convert and check to {target.title}
          </Button>
          <Button size="small" onClick={() => go(`/deliver?to=${target.key}&materials=${ids.join(",")}`)}>
            Deliver these
          </Button>
          <Button size="small" onClick={() => go(`/outside?to=${target.key}&materials=${ids.join(",")}`)}>
            Check kit of these
          </Button>
          <Button size="small" type="text" onClick={clear}>
            Clear
          </Button>
        </>
      ) : (
        <>
          <span>
            <strong className="numbers">{missing.length}</strong> not converted to {target.title} yet.
          </span>
          <Button size="small" type="primary" loading={start.isPending} onClick={() => convert(missing)}>
            Convert and check them
          </Button>
        </>
      )}
    </Flex>
  );
}

function EmptyBoard() {
  const go = useGo();
  return (
    <Empty className="drop" description="No material is on this board yet.">
      <Button type="primary" onClick={() => go("/take-in")}>
        Take files in
      </Button>
    </Empty>
  );
}
