import { App, Button, Empty, Flex, Popconfirm, Segmented, Select } from "antd";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { useAcceptAll } from "../../api/conversions";
import { useReport } from "../../api/deliveries";
import type { Target } from "../../api/types";
import { useMay } from "../../api/people";
import { useBoard, WHOLE_BOARD } from "../../api/board";
import { Failure } from "../../parts/Failure";
import { useComplaint } from "../../parts/useComplaint";
import { TargetSelect } from "../../parts/TargetSelect";
import { useTarget } from "../../parts/useTarget";
import { Queue } from "./Queue";
import { ReviewOf } from "./ReviewOf";
import { Sheet } from "./Sheet";
import { nextOf, queueOf, STAGES } from "./queue";
import "./review.css";

/** How many of the most urgent are shown at first and more at a time, and at most: what is settled sinks, and others rise. */
const [PAGE, MOST] = [100, 500];
const SHOWN_AS = ["one at a time", "contact sheet"] as const;
const KINDS = ["html", "pdf", "csv", "json"] as const;

/** What waits for a person: accept, or send back with a note. What was accepted and has changed since comes first. */
export function ReviewScreen({ project }: { project: number }) {
  const [target, chooseTarget, targets] = useTarget(project);
  if (target === undefined) return null;
  return <Review key={target.key} {...{ project, target, targets, chooseTarget }} />;
}

interface Props {
  project: number;
  target: Target;
  targets: Target[];
  chooseTarget: (key: string) => void;
}

function Review({ project, target, targets, chooseTarget }: Props) {
  const [search, setSearch] = useSearchParams();
  const accepts = useMay("supervisor");
  const [shown, setShown] = useState(PAGE);
  const board = useBoard(project, target, { ...WHOLE_BOARD, sort: "urgency" }, shown);
  const queue = useMemo(() => queueOf(board.data?.rows ?? []), [board.data]);
  const waiting = board.data?.reviews ?? {};
  const current = queue.find(({ conversion_id: id }) => id === Number(search.get("conversion"))) ?? queue[0];
  const asSheet = search.get("as") === "sheet";
  const set = (parts: Record<string, string | undefined>) =>
    setSearch(
      (old) => {
        for (const [name, value] of Object.entries(parts)) {
          if (value === undefined) old.delete(name);
          else old.set(name, value);
        }
        return old;
      },
      { replace: true },
    );
  const go = (id: number | undefined) => id !== undefined && set({ conversion: String(id) });
  const step = (by: number) => {
    const at = queue.findIndex((row) => row === current);
    go(queue[at + by]?.conversion_id);
  };
  if (board.error !== null) return <Failure error={board.error} />;
  const left = (board.data?.total ?? 0) - (board.data?.rows.length ?? 0);
  const more = left > 0 && shown < MOST && (
    <Button size="small" loading={board.isFetching} onClick={() => setShown(shown + PAGE)}>
      {left} more
    </Button>
  );
  return (
    <Flex vertical className="page">
      <Flex gap={14} align="center" wrap className="bar ruled">
        <TargetSelect target={target} targets={targets} choose={chooseTarget} />
        <Segmented
          aria-label="Shown as"
          value={asSheet ? SHOWN_AS[1] : SHOWN_AS[0]}
          options={[...SHOWN_AS]}
          onChange={(shown) => set({ as: shown === SHOWN_AS[1] ? "sheet" : undefined })}
        />
        <span className="small">{STAGES.map((stage) => `${waiting[stage] ?? 0} ${stage}`).join(" · ")}</span>
        <Flex gap={8} align="center" className="end">
          {accepts && <AcceptAll project={project} target={target} />}
          <ReportChoice project={project} target={target} />
        </Flex>
      </Flex>
      {queue.length === 0 || current === undefined ? (
        <Empty
          className="drop"
          description={`Nothing is converted to ${target.title} yet: convert on the board first.`}
        />
      ) : asSheet ? (
        <Sheet queue={queue} more={more} open={(id) => set({ as: undefined, conversion: String(id) })} />
      ) : (
        <div className="review">
          <Queue queue={queue} current={current.conversion_id} choose={go} more={more} />
          <ReviewOf
            key={current.conversion_id}
            row={current}
            project={project}
            step={step}
            settled={() => go(nextOf(queue, current.conversion_id))}
          />
        </div>
      )}
    </Flex>
  );
}

function AcceptAll({ project, target }: { project: number; target: Target }) {
  const accept = useAcceptAll(project, target);
  const complain = useComplaint();
  const { message } = App.useApp();
  return (
    <Popconfirm
      title="Accept all that wait, match on every rig, and lose nothing?"
      description="The rule is written into each review."
      okText="Accept them"
      onConfirm={() =>
        accept.mutate(undefined, {
          onSuccess: ({ count, rule }) => void message.success(`${count} accepted: ${rule}.`),
          onError: complain,
        })
      }
    >
      <Button loading={accept.isPending}>Accept what matches…</Button>
    </Popconfirm>
  );
}

function ReportChoice({ project, target }: { project: number; target: Target }) {
  const report = useReport(project, target);
  const complain = useComplaint();
  const { message } = App.useApp();
  return (
    <Select
      aria-label="Write a report"
      placeholder="Report…"
      value={null}
      loading={report.isPending}
      popupMatchSelectWidth={false}
      options={KINDS.map((kind) => ({ value: kind, label: `as ${kind.toUpperCase()}` }))}
      onChange={(kind: (typeof KINDS)[number]) =>
        report.mutate(kind, {
          onSuccess: () => void message.info("The report is being written; it is handed out under Jobs."),
          onError: complain,
        })
      }
    />
  );
}
