import { App, Button, Empty, Flex, Input, Popconfirm, Segmented, Select } from "antd";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { useAcceptAll, useReport } from "../../api/mutations";
import { useBoard, type Target } from "../../api/queries";
import { Failure } from "../../parts/Failure";
import { useComplaint } from "../../parts/useComplaint";
import { targetOptions, useTarget } from "../../parts/useTarget";
import { Queue } from "./Queue";
import { ReviewOf } from "./ReviewOf";
import { Sheet } from "./Sheet";
import { nextOf, queueOf, stageOf, STAGES } from "./queue";

const KEPT_NAME = "fenrain.reviewer";
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
  const [by, setBy] = useState(() => localStorage.getItem(KEPT_NAME) ?? "");
  const board = useBoard(project, target);
  const queue = useMemo(() => queueOf(board.data ?? []), [board.data]);
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
  const sign = (name: string) => {
    localStorage.setItem(KEPT_NAME, name);
    setBy(name);
  };
  if (board.error !== null) return <Failure error={board.error} />;
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
          aria-label="Shown as"
          value={asSheet ? SHOWN_AS[1] : SHOWN_AS[0]}
          options={[...SHOWN_AS]}
          onChange={(shown) => set({ as: shown === SHOWN_AS[1] ? "sheet" : undefined })}
        />
        <span className="small">
          {STAGES.map((stage) => `${queue.filter((row) => stageOf(row) === stage).length} ${stage}`).join(" · ")}
        </span>
        <Flex gap={8} align="center" className="end">
          <Input
            aria-label="Your name"
            className="field"
            placeholder="your name signs it"
            value={by}
            onChange={(event) => sign(event.target.value)}
          />
          <AcceptAll project={project} target={target} by={by} />
          <ReportChoice project={project} target={target} />
        </Flex>
      </Flex>
      {queue.length === 0 || current === undefined ? (
        <Empty
          className="drop"
          description={`Nothing is converted to ${target.title} yet: convert on the board first.`}
        />
      ) : asSheet ? (
        <Sheet queue={queue} open={(id) => set({ as: undefined, conversion: String(id) })} />
      ) : (
        <div className="review">
          <Queue queue={queue} current={current.conversion_id} choose={go} />
          <ReviewOf
            key={current.conversion_id}
            row={current}
            project={project}
            by={by}
            step={step}
            settled={() => go(nextOf(queue, current.conversion_id))}
          />
        </div>
      )}
    </Flex>
  );
}

function AcceptAll({ project, target, by }: { project: number; target: Target; by: string }) {
  const accept = useAcceptAll(project, target);
  const complain = useComplaint();
  const { message } = App.useApp();
  return (
    <Popconfirm
      title="Accept all that wait, match on every rig, and lose nothing?"
      description="The rule is written into each review."
      okText="Accept them"
      onConfirm={() =>
        accept.mutate(by, {
          onSuccess: ({ count, rule }) => void message.success(`${count} accepted: ${rule}.`),
          onError: complain,
        })
      }
    >
      <Button disabled={by.trim() === ""} loading={accept.isPending}>
        Accept what matches…
      </Button>
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
