import { Checkbox, Tooltip } from "antd";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, type CSSProperties, type KeyboardEvent } from "react";
import { NavigationType, useLocation, useNavigationType } from "react-router";
import { fileUrl } from "../../api/client";
import { useProjectRigs, type BoardRow, type Decision, type Target } from "../../api/queries";
import { FindingList } from "../../parts/FindingList";
import { PictureWell } from "../../parts/PictureWell";
import { useGo } from "../../parts/useGo";
import { VerdictMark } from "../../parts/VerdictMark";
import { spaced } from "../../parts/words";
import { stageOf } from "../review/queue";

const ROW = 72;
const PICTURE = 64;

interface Props {
  project: number;
  rows: BoardRow[];
  target: Target;
  selected: ReadonlySet<number>;
  select: (selected: ReadonlySet<number>) => void;
}

/** The rows; only those in sight are drawn. Arrow keys move, space selects, Enter opens the bench. */
export function BoardRows({ project, rows, target, selected, select }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const place = useLocation();
  const back = useNavigationType() === NavigationType.Pop;
  const kept = `fenrain.scroll ${place.pathname}${place.search}`;
  const virtual = useVirtualizer({
    count: rows.length,
    initialOffset: back ? Number(sessionStorage.getItem(kept) ?? 0) : 0,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 6,
  });
  const toggle = (id: number) => {
    const next = new Set(selected);
    if (!next.delete(id)) next.add(id);
    select(next);
  };
  const rigs = useProjectRigs(project);
  const outside = rows.some((row) => row.outside !== null);
  const all = rows.length > 0 && rows.every((row) => selected.has(row.material_id));
  return (
    <div
      ref={scroller}
      onScroll={(event) => sessionStorage.setItem(kept, String(event.currentTarget.scrollTop))}
      className="fill scrolled"
      style={{ "--rigs": rigs.length + (outside ? 1 : 0) } as CSSProperties}
    >
      <div className="board-line board-head">
        <Checkbox
          aria-label="Select all shown"
          checked={all}
          indeterminate={!all && selected.size > 0}
          onChange={() => select(all ? new Set() : new Set(rows.map((row) => row.material_id)))}
        />
        <span>Original · converted</span>
        <span>Material</span>
        <span title="What can be told on directions, without a picture">Quick figures</span>
        {rigs.map(({ id, title }) => (
          <span key={id}>{title}</span>
        ))}
        {outside && <span title="What another renderer showed of it">Outside</span>}
        <span>Decided by</span>
        <span>Losses and doubts</span>
      </div>
      <div role="list" aria-label="Materials" style={{ height: virtual.getTotalSize(), position: "relative" }}>
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index];
          return row === undefined ? null : (
            <div
              key={row.material_id}
              role="listitem"
              className="board-row"
              style={{ height: ROW, transform: `translateY(${item.start}px)` }}
            >
              <Line
                row={row}
                rigs={rigs.map(({ id }) => id)}
                outside={outside}
                target={target}
                selected={selected.has(row.material_id)}
                toggle={() => toggle(row.material_id)}
              />
            </div>
          );
        })}
      </div>
    </div>
  );
}

interface LineProps {
  row: BoardRow;
  rigs: string[];
  outside: boolean;
  target: Target;
  selected: boolean;
  toggle: () => void;
}

function Line({ row, rigs, outside, target, selected, toggle }: LineProps) {
  const go = useGo();
  const open = () => row.conversion_id !== null && go(`/bench/${row.conversion_id}?to=${target.key}`);
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
    <div
      className="board-line row-link"
      tabIndex={0}
      aria-label={`${row.name}, ${row.verdict?.verdict ?? "not checked yet"}`}
      data-selected={selected}
      data-opens={row.conversion_id !== null}
      onClick={open}
      onKeyDown={onKeyDown}
    >
      <span onClick={(event) => event.stopPropagation()}>
        <Checkbox tabIndex={-1} aria-label={`Select ${row.name}`} checked={selected} onChange={toggle} />
      </span>
      <span className="board-pictures">
        {(["original", "converted"] as const).map((side) => (
          <PictureWell
            key={side}
            source={studio && fileUrl(studio.pictures[side])}
            label={`${row.name}, ${side}`}
            edge={PICTURE}
          />
        ))}
      </span>
      <span className="column-of-words">
        <strong className="one-line">{row.name}</strong>
        <span className="one-line faded small">
          {spaced(row.model)}
          {row.review !== null && ` · ${stageOf(row)}`}
        </span>
        <span className="one-line faded smaller">{row.file}</span>
      </span>
      <Judged decision={row.figures} samples={0} />
      {rigs.map((rig) => (
        <Judged key={rig} {...row.checks.find((check) => check.rig === rig)} />
      ))}
      {outside && (row.outside === null ? <span className="faded">–</span> : <Judged decision={row.outside} />)}
      <DecidedBy decision={row.verdict} />
      <Doubts row={row} />
    </div>
  );
}

/** A verdict, with what it rests on where one points; samples: of each pixel, 0 where no picture was needed. */
function Judged({ decision = null, samples = 0 }: { decision?: Decision | null; samples?: number }) {
  if (decision === null) return <span className="faded small">not checked yet</span>;
  const measured = samples > 0 ? [`measured at ${samples} samples a pixel`] : [];
  return <VerdictMark verdict={decision.verdict} title={[decision.text, ...decision.unseen, ...measured].join("; ")} />;
}

/** The reading that the verdict hangs on, in words, and how far it is beyond what a match may read. */
function DecidedBy({ decision }: { decision: Decision | null }) {
  if (decision === null) return <span className="faded">–</span>;
  const says = decision.text.slice(decision.text.indexOf(": ") + 2);
  return (
    <span className="small two-lines" title={decision.text}>
      {says}
    </span>
  );
}

function Doubts({ row }: { row: BoardRow }) {
  const unseen = row.verdict?.unseen ?? [];
  const parts = [
    row.losses.length > 0 ? `lost: ${row.losses.join(", ")}` : "",
    row.approximated > 0 ? `${row.approximated} approximated` : "",
    row.overrides > 0 ? `${row.overrides} changed after converting` : "",
    unseen.length > 0 ? `${unseen.length} ${unseen.length === 1 ? "value" : "values"} not drawn` : "",
  ].filter(Boolean);
  const doubts = row.findings.filter((finding) => finding.severity !== "note");
  return (
    <span className="small faded" title={unseen.join("; ")}>
      {parts.join(" · ")}
      {doubts.length > 0 && (
        <Tooltip title={<FindingList findings={doubts} />}>
          <span className="ink block">
            {doubts.length} {doubts.length === 1 ? "doubt" : "doubts"} at the door
          </span>
        </Tooltip>
      )}
    </span>
  );
}

function focusSibling(line: HTMLElement, step: number) {
  const item = step > 0 ? line.parentElement?.nextElementSibling : line.parentElement?.previousElementSibling;
  item?.querySelector<HTMLElement>(".row-link")?.focus();
}
