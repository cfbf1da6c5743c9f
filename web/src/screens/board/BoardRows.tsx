import { Checkbox, Tooltip } from "antd";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, type CSSProperties, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import type { BoardRow } from "../../api/queries";
import type { Aim } from "../../parts/aims";
import { FindingList } from "../../parts/FindingList";
import { PictureWell } from "../../parts/PictureWell";
import { VerdictMark } from "../../parts/VerdictMark";
import { palette } from "../../theme";

const ROW = 84;
const COLUMNS = "34px 164px minmax(180px, 1.2fr) 132px 132px 86px minmax(200px, 1.6fr)";
const LINE: CSSProperties = { display: "grid", gridTemplateColumns: COLUMNS, columnGap: 16, alignItems: "center", padding: "0 20px" };
const ONE_LINE: CSSProperties = { display: "block", overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" };
const RIGS = [["soft_studio", "Soft studio"], ["low_sun", "Low sun"]] as const;

interface Props {
  rows: BoardRow[];
  aim: Aim;
  selected: ReadonlySet<number>;
  select: (selected: ReadonlySet<number>) => void;
}

/** The rows; only those in sight are drawn. Arrow keys move, space selects, Enter opens the bench. */
export function BoardRows({ rows, aim, selected, select }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 6 });
  const toggle = (id: number) => {
    const next = new Set(selected);
    if (!next.delete(id)) next.add(id);
    select(next);
  };
  const all = rows.length > 0 && rows.every((row) => selected.has(row.material_id));
  return (
    <div ref={scroller} style={{ overflow: "auto", flex: 1, minHeight: 0 }}>
      <div style={{ ...LINE, position: "sticky", top: 0, zIndex: 1, height: 34, background: palette.paper, borderBottom: `1px solid ${palette.rule}`, color: palette.faded, fontSize: 13 }}>
        <Checkbox aria-label="Select all shown" checked={all} indeterminate={!all && selected.size > 0} onChange={() => select(all ? new Set() : new Set(rows.map((row) => row.material_id)))} />
        <span>Original · converted</span><span>Material</span><span>Soft studio</span><span>Low sun</span><span>Worst ΔE</span><span>Losses and doubts</span>
      </div>
      <div role="list" aria-label="Materials" style={{ height: virtual.getTotalSize(), position: "relative" }}>
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index];
          return row === undefined ? null : (
            <div key={row.material_id} role="listitem" style={{ position: "absolute", insetInline: 0, top: 0, height: ROW, transform: `translateY(${item.start}px)` }}>
              <Line row={row} aim={aim} selected={selected.has(row.material_id)} toggle={() => toggle(row.material_id)} />
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Line({ row, aim, selected, toggle }: { row: BoardRow; aim: Aim; selected: boolean; toggle: () => void }) {
  const navigate = useNavigate();
  const open = () => row.conversion_id !== null && void navigate(`/bench/${row.conversion_id}?to=${aim.key}`);
  const onKeyDown = (event: KeyboardEvent<HTMLDivElement>) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (event.key === "Enter") open();
    else if (event.key === " ") toggle();
    else if (step !== undefined) focusSibling(event.currentTarget, step);
    else return;
    event.preventDefault();
  };
  const studio = row.checks.find((check) => check.rig === "soft_studio") ?? row.checks[0];
  return (
    <div className="row-link" tabIndex={0} aria-label={`${row.name}, ${row.verdict ?? "not checked yet"}`} onClick={open} onKeyDown={onKeyDown} style={{ ...LINE, height: ROW - 1, cursor: row.conversion_id === null ? "default" : "pointer", borderBottom: `1px solid ${palette.rule}`, background: selected ? "#e6efee" : palette.sheet }}>
      <span onClick={(event) => event.stopPropagation()}><Checkbox tabIndex={-1} aria-label={`Select ${row.name}`} checked={selected} onChange={toggle} /></span>
      <span style={{ display: "flex", gap: 3, background: palette.well, padding: 3 }}>
        <PictureWell digest={studio?.pictures.original} label={`${row.name}, original`} edge={76} />
        <PictureWell digest={studio?.pictures.converted} label={`${row.name}, converted`} edge={76} />
      </span>
      <span style={{ minWidth: 0 }}>
        <strong style={ONE_LINE}>{row.name}</strong>
        <span style={{ ...ONE_LINE, color: palette.faded, fontSize: 13 }}>{row.model.replaceAll("_", " ")}</span>
        <span style={{ ...ONE_LINE, color: palette.faded, fontSize: 12.5 }}>{row.file}</span>
      </span>
      {RIGS.map(([rig, title]) => <RigCell key={rig} check={row.checks.find((check) => check.rig === rig)} title={title} />)}
      <span className="numbers">{row.worst === null ? "–" : row.worst.toFixed(2)}</span>
      <Doubts row={row} />
    </div>
  );
}

function RigCell({ check, title }: { check: BoardRow["checks"][number] | undefined; title: string }) {
  if (check === undefined) return <span style={{ color: palette.faded }}>not checked yet</span>;
  const { verdict, median, p95 } = check;
  return (
    <span>
      <VerdictMark verdict={verdict} title={title} />
      <span className="numbers" style={{ display: "block", color: palette.faded, fontSize: 12.5 }}>{median.toFixed(2)} / {p95.toFixed(2)}</span>
    </span>
  );
}

function Doubts({ row }: { row: BoardRow }) {
  const parts = [
    row.losses.length > 0 ? `lost: ${row.losses.join(", ")}` : "",
    row.approximated > 0 ? `${row.approximated} approximated` : "",
    row.overrides > 0 ? `${row.overrides} changed after converting` : "",
  ].filter(Boolean);
  const doubts = row.findings.filter((finding) => finding.severity !== "note");
  return (
    <span style={{ fontSize: 13, color: palette.faded }}>
      {parts.join(" · ")}
      {doubts.length > 0 && <Tooltip title={<FindingList findings={doubts} />}><span style={{ display: "block", color: palette.ink }}>{doubts.length} {doubts.length === 1 ? "doubt" : "doubts"} at the door</span></Tooltip>}
    </span>
  );
}

function focusSibling(line: HTMLElement, step: number) {
  const item = step > 0 ? line.parentElement?.nextElementSibling : line.parentElement?.previousElementSibling;
  item?.querySelector<HTMLElement>(".row-link")?.focus();
}
