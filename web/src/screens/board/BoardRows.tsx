import { Checkbox, Tooltip } from "antd";
import { useVirtualizer } from "@tanstack/react-virtual";
import { Fragment, useRef, type CSSProperties, type KeyboardEvent } from "react";
import { NavigationType, useLocation, useNavigationType } from "react-router";
import { addressOf, useBoardRows, type Asked } from "../../api/board";
import { fileUrl } from "../../api/client";
import { useProjectRigs } from "../../api/surroundings";
import type { BoardRow, Decision, Target } from "../../api/types";
import { FindingList } from "../../parts/FindingList";
import { PictureWell } from "../../parts/PictureWell";
import { useGo } from "../../parts/useGo";
import { VerdictMark } from "../../parts/VerdictMark";
import { spaced } from "../../parts/words";
import { stageOf } from "../review/queue";
import { countPicked, type Picked } from "./picked";

const ROW = 72;
const PICTURE = 64;

interface Props {
  project: number;
  target: Target;
  asked: Asked;
  total: number;
  sortBy: (sort: string) => void;
  picked: Picked;
  pick: (picked: Picked) => void;
}

/** The rows; only those in sight are loaded and drawn. Arrow keys move, space selects, Enter opens the bench. */
export function BoardRows({ project, target, asked, total, sortBy, picked, pick }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const place = useLocation();
  const back = useNavigationType() === NavigationType.Pop;
  const kept = `fenrain.scroll ${place.pathname}${place.search}`;
  const virtual = useVirtualizer({
    count: total,
    initialOffset: back ? Number(sessionStorage.getItem(kept) ?? 0) : 0,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 6,
  });
  const inSight = virtual.getVirtualItems();
  const rows = useBoardRows(project, target, asked, inSight[0]?.index ?? 0, inSight.at(-1)?.index ?? 0);
  const toggle = (id: number) => {
    const next = new Set(picked.ids);
    if (!next.delete(id)) next.add(id);
    pick({ ...picked, ids: next });
  };
  const rigs = useProjectRigs(project);
  const outside = [...rows.values()].some((row) => row.outside !== null);
  const all = total > 0 && countPicked(picked, total) === total;
  const head = (sort: string, words: string, says?: string) => (
    <SortButton sort={sort} words={words} says={says} asked={asked} sortBy={sortBy} />
  );
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
          indeterminate={!all && countPicked(picked, total) > 0}
          onChange={() => pick({ all: !all, ids: new Set() })}
        />
        <span>Original · converted</span>
        {head("name", "Material")}
        {head("rig:", "Quick figures", "what can be told on directions, without a picture")}
        {rigs.map(({ id, title }) => (
          <Fragment key={id}>{head(`rig:${id}`, title, "the worst reading in this light")}</Fragment>
        ))}
        {outside && <span title="What another renderer showed of it">Outside</span>}
        {head("worst", "Worst reading", "the reading that decides, as a multiple of what a match may read")}
        {head("unusual", "Plainness", "unusual values, layers, extensions and maps that a converted material needs")}
        {head("losses", "Losses and findings")}
      </div>
      <div role="list" aria-label="Materials" style={{ height: virtual.getTotalSize(), position: "relative" }}>
        {inSight.map((item) => {
          const row = rows.get(item.index);
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
                opens={addressOf(asked)}
                selected={picked.all !== picked.ids.has(row.material_id)}
                toggle={() => toggle(row.material_id)}
              />
            </div>
          );
        })}
      </div>
    </div>
  );
}

interface SortProps {
  sort: string;
  words: string;
  says: string | undefined;
  asked: Asked;
  sortBy: (sort: string) => void;
}

/** The head of a column by which the board is sorted; a second press turns it round, a third takes the order back. */
function SortButton({ sort, words, says, asked, sortBy }: SortProps) {
  const chosen = asked.sort === sort;
  const way = !chosen ? "" : asked.descending ? ", down" : ", up";
  return (
    <button type="button" className="plain-button sort" title={says} aria-pressed={chosen} onClick={() => sortBy(sort)}>
      {words}
      <span className="smaller">{way}</span>
    </button>
  );
}

interface LineProps {
  row: BoardRow;
  rigs: string[];
  outside: boolean;
  target: Target;
  opens: string;
  selected: boolean;
  toggle: () => void;
}

function Line({ row, rigs, outside, target, opens, selected, toggle }: LineProps) {
  const go = useGo();
  const open = () =>
    row.conversion_id !== null && go(`/bench/${row.conversion_id}?to=${target.key}${opens && `&${opens}`}`);
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
          {row.merged_into !== null && ` · merged into ${row.merged_into}`}
        </span>
        <span className="one-line faded smaller">{row.file}</span>
      </span>
      <Judged decision={row.figures} samples={0} />
      {rigs.map((rig) => (
        <Judged key={rig} {...row.checks.find((check) => check.rig === rig)} />
      ))}
      {outside && (row.outside === null ? <span className="faded">–</span> : <Judged decision={row.outside} />)}
      <DecidedBy decision={row.verdict} />
      <span className="small two-lines">{row.plainness}</span>
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

/** The reading that the verdict depends on, in words, and how far it is beyond what a match may read. */
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
    unseen.length > 0 ? `${unseen.length} not read or not drawn` : "",
  ].filter(Boolean);
  const doubts = row.findings.filter((finding) => finding.severity !== "note");
  return (
    <span className="small faded" title={unseen.join("; ")}>
      {parts.join(" · ")}
      {doubts.length > 0 && (
        <Tooltip title={<FindingList findings={doubts} />}>
          <span className="ink block">
            {doubts.length} {doubts.length === 1 ? "import finding" : "import findings"}
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
