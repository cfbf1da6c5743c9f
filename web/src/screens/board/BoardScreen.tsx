import { Button, Empty, Flex, Segmented, Select } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import {
  addressOf,
  askedOf,
  countOf,
  NO_QUESTION,
  questionOf,
  selectionAddress,
  useBoard,
  useBoardChoices,
  WHOLE_BOARD,
  type Asked,
  type Selection,
} from "../../api/board";
import { useConvert } from "../../api/conversions";
import { useJobs } from "../../api/jobs";
import { useMetrics } from "../../api/knowledge";
import { useProjects } from "../../api/projects";
import type { Target } from "../../api/types";
import { FindField } from "../../parts/FindField";
import { Explained } from "../../parts/Explained";
import { Failure } from "../../parts/Failure";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { TargetSelect } from "../../parts/TargetSelect";
import { useTarget } from "../../parts/useTarget";
import { spaced } from "../../parts/words";
import { BoardRows } from "./BoardRows";
import { countPicked, NOTHING, selectionOfPicked } from "./picked";
import "./board.css";

const WORDS = ["verdict", "match", "near", "undecided", "off", "worst-reading", "quick-figures", "loss", "doubt"];
const STATES = ["all", "needs attention", "match", "near", "undecided", "off", "not converted", "merged"] as const;
const SHOWN_WHERE_THERE_ARE_ANY = "merged";
const SORTED_DOWN_FIRST = ["worst", "unusual", "losses", "changed"];
const SORTED_BY_A_LIGHT = "rig:";

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
  const asked = askedOf(search);
  const [picked, pick] = useState(NOTHING);
  const board = useBoard(project, target, asked);
  const ask = (changed: Partial<Asked>) => {
    const to = new URLSearchParams(addressOf({ ...asked, ...changed }));
    const target = search.get("to");
    if (target !== null) to.set("to", target);
    if (picked.all) pick(NOTHING);
    setSearch(to, { replace: true });
  };
  const sortBy = (sort: string) => {
    const first = SORTED_DOWN_FIRST.includes(sort) || sort.startsWith(SORTED_BY_A_LIGHT);
    if (asked.sort !== sort) ask({ sort, descending: first });
    else if (asked.descending === first) ask({ sort, descending: !first });
    else ask({ sort: "came", descending: false });
  };
  const materials = useProjects().data?.find(({ id }) => id === project)?.materials ?? 0;
  if (board.error !== null) return <Failure error={board.error} />;
  const { total = 0, counts = {}, unsettled = 0 } = board.data ?? {};
  const whole = Object.values(questionOf(asked)).every((word) => word === "");
  return (
    <Flex vertical className="page">
      <Filters {...{ project, target, targets, chooseTarget, asked, ask, counts }}>
        {asked.sort === WHOLE_BOARD.sort && asked.descending && (
          <Button size="small" onClick={() => ask({ descending: false })}>
            newest first ×
          </Button>
        )}
        <Explained label="What the board says" words={WORDS} />
        <span className="numbers faded end" role="status">
          {total} of {materials} materials
          {unsettled > 0 && `, ${unsettled} being judged again`}
        </span>
      </Filters>
      <ActionBar
        project={project}
        target={target}
        selection={countPicked(picked, total) === 0 ? undefined : selectionOfPicked(picked, questionOf(asked), total)}
        clear={() => pick(NOTHING)}
        missing={counts["not converted"] ?? 0}
        older={board.data?.older ?? 0}
      />
      {board.data !== undefined && total === 0 && whole ? (
        <EmptyBoard />
      ) : (
        <BoardRows {...{ project, target, asked, total, sortBy, picked, pick }} />
      )}
    </Flex>
  );
}

interface FiltersProps extends BoardProps {
  asked: Asked;
  ask: (changed: Partial<Asked>) => void;
  counts: Record<string, number>;
  children: React.ReactNode;
}

function Filters({ project, target, targets, chooseTarget, asked, ask, counts, children }: FiltersProps) {
  const choices = useBoardChoices(project, target).data;
  const metrics = useMetrics().data ?? [];
  const measure = (id: string) => metrics.find((metric) => metric.id === id)?.title ?? spaced(id);
  const any = (words: string, known: string[], label = (one: string) => one) => [
    { value: "", label: words },
    ...known.map((value) => ({ value, label: label(value) })),
  ];
  return (
    <Flex gap={10} align="center" wrap className="bar ruled">
      <TargetSelect target={target} targets={targets} choose={chooseTarget} />
      <Segmented
        aria-label="Show"
        value={asked.state || "all"}
        options={STATES.filter((state) => state !== SHOWN_WHERE_THERE_ARE_ANY || (counts[state] ?? 0) > 0).map(
          (state) => ({
            value: state,
            title: state,
            label: (
              <span>
                {state} <span className="numbers faded smaller">{counts[state] ?? 0}</span>
              </span>
            ),
          }),
        )}
        onChange={(state) => ask({ state: state === "all" ? "" : state })}
      />
      <FindField first={asked.find} find={(find) => ask({ find })} />
      <Select
        aria-label="File"
        className="field"
        value={asked.file}
        showSearch
        popupMatchSelectWidth={false}
        options={any("any file", choices?.files ?? [])}
        onChange={(file) => ask({ file })}
      />
      <Select
        aria-label="Shading model"
        className="field"
        value={asked.model}
        popupMatchSelectWidth={false}
        options={any("any model", choices?.models ?? [], spaced)}
        onChange={(model) => ask({ model })}
      />
      <Select
        aria-label="Lost"
        className="field"
        value={asked.lost}
        showSearch
        popupMatchSelectWidth={false}
        options={any("lost or not", withOwn(choices?.losses ?? [], asked.lost))}
        onChange={(lost) => ask({ lost })}
      />
      <Select
        aria-label="Decided by"
        className="field"
        value={asked.reason}
        popupMatchSelectWidth={false}
        options={any("decided by any", choices?.reasons ?? [], measure)}
        onChange={(reason) => ask({ reason })}
      />
      {children}
    </Flex>
  );
}

/** What can be chosen, and what the address asks for beside it. */
function withOwn(known: string[], asked: string): string[] {
  return asked === "" || known.includes(asked) ? known : [asked, ...known];
}

interface ActionProps {
  project: number;
  target: Target;
  selection: Selection | undefined;
  clear: () => void;
  missing: number;
  older: number;
}

function ActionBar({ project, target, selection, clear, missing, older }: ActionProps) {
  const go = useGo();
  const start = useConvert(project, target);
  const complain = useComplaint();
  const convert = (which: Selection) => start.mutate(which, { onSuccess: clear, onError: complain });
  const jobs = useJobs(project).data ?? [];
  const converting = jobs.some((job) => job.kind === "convert" && (job.state === "queued" || job.state === "running"));
  const allConverted = missing === 0 || converting;
  if (selection === undefined && allConverted && older === 0) return null;
  return (
    <Flex gap={10} align="center" role="toolbar" aria-label="Selection" className="action-bar">
      {selection !== undefined ? (
        <>
          <strong className="numbers">{countOf(selection)} selected</strong>
          <Button size="small" onClick={() => convert(selection)}>
            Convert and check to {target.title}
          </Button>
          <Button size="small" onClick={() => go(`/change?to=${target.key}&kind=fit&${selectionAddress(selection)}`)}>
            Fit these…
          </Button>
          <Button size="small" onClick={() => go(`/change?to=${target.key}&${selectionAddress(selection)}`)}>
            Change these…
          </Button>
          <Button size="small" onClick={() => go(`/deliver?to=${target.key}&${selectionAddress(selection)}`)}>
            Deliver these
          </Button>
          <Button size="small" onClick={() => go(`/outside?to=${target.key}&${selectionAddress(selection)}`)}>
            Check kit of these
          </Button>
          <Button size="small" type="text" onClick={clear}>
            Clear
          </Button>
        </>
      ) : allConverted ? (
        <>
          <span>
            <strong className="numbers">{older}</strong> converted by older rules.
            <Explained label="What older rules are" words={["older"]} />
          </span>
          <Button size="small" onClick={() => go(`/change?to=${target.key}&kind=convert again`)}>
            See what would change…
          </Button>
        </>
      ) : (
        <>
          <span>
            <strong className="numbers">{missing}</strong> not converted to {target.title} yet.
          </span>
          <Button
            size="small"
            type="primary"
            loading={start.isPending}
            onClick={() =>
              convert({ question: { ...NO_QUESTION, state: "not converted" }, without: [], total: missing })
            }
          >
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
        Import files
      </Button>
    </Empty>
  );
}
