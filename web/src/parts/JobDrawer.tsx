import { Button, Drawer, Empty, Flex, Progress, Typography } from "antd";
import { useJobAct } from "../api/jobs";
import type { Job } from "../api/types";
import { palette } from "../theme";
import { useComplaint } from "./useComplaint";

const STATES: Record<Job["state"], string> = {
  queued: "waiting",
  running: "at work",
  done: "done",
  failed: "done, with failures",
  paused: "paused",
  cancelled: "cancelled",
};

interface Props {
  open: boolean;
  close: () => void;
  jobs: Job[];
  project: number;
}

/** What is being worked on, what is done and what is left. */
export function JobDrawer({ open, close, jobs, project }: Props) {
  return (
    <Drawer title="Jobs" open={open} onClose={close} size={420}>
      {jobs.length === 0 && <Empty description="Nothing has been started yet." />}
      <Flex vertical gap={18}>
        {jobs.map((job) => (
          <JobLine key={job.id} job={job} project={project} />
        ))}
      </Flex>
    </Drawer>
  );
}

function JobLine({ job, project }: { job: Job; project: number }) {
  const act = useJobAct(project, job.id);
  const complain = useComplaint();
  const open = job.state === "queued" || job.state === "running";
  const resumable = job.state === "cancelled" || job.state === "failed" || job.state === "paused";
  const send = (verb: "cancel" | "pause" | "resume") => () => act.mutate(verb, { onError: complain });
  return (
    <div>
      <Flex justify="space-between" align="center">
        <Typography.Text strong>{job.title}</Typography.Text>
        <Flex gap={6}>
          {open && job.total > 1 && (
            <Button size="small" onClick={send("pause")}>
              Pause
            </Button>
          )}
          {resumable && (
            <Button size="small" onClick={send("resume")}>
              {job.state === "paused" ? "Go on" : "Take up again"}
            </Button>
          )}
          {(open || job.state === "paused") && (
            <Button size="small" onClick={send("cancel")}>
              Cancel
            </Button>
          )}
        </Flex>
      </Flex>
      <Progress
        aria-label={`How far it is: ${job.title}`}
        percent={job.total === 0 ? 100 : Math.round((100 * (job.done + job.failed)) / job.total)}
        size="small"
        showInfo={false}
        strokeColor={palette.accent}
      />
      <Typography.Text type="secondary" className="numbers">
        {STATES[job.state]}: {job.done} of {job.total}
        {job.failed > 0 ? `, ${job.failed} failed` : ""}
        {job.seconds_left !== null && `, about ${inWords(job.seconds_left)} left`}
        {job.by !== "" && ` · ${job.by}`}
      </Typography.Text>
      {job.report !== null && (
        <a className="block" href={`/api/v1/jobs/${job.id}/report`}>
          {job.report}
        </a>
      )}
      <JobErrors job={job} />
    </div>
  );
}

/** What went wrong in a job, and what was left out of it, a line each. */
export function JobErrors({ job }: { job: Job }) {
  return job.errors.map((error) => (
    <Typography.Text key={error} type="danger" className="block">
      {error}
    </Typography.Text>
  ));
}

/** A time as one would say it. */
function inWords(seconds: number): string {
  if (seconds < 90) return `${Math.max(Math.round(seconds), 1)} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${(seconds / 3600).toFixed(1)} h`;
}
