import { Button, Drawer, Empty, Flex, Progress, Typography } from "antd";
import { useCancelOrResume } from "../api/mutations";
import type { Job } from "../api/queries";
import { palette } from "../theme";
import { useComplaint } from "./useComplaint";

const STATES: Record<Job["state"], string> = {
  queued: "waiting",
  running: "at work",
  done: "done",
  failed: "done, with failures",
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
  const act = useCancelOrResume(project, job.id);
  const complain = useComplaint();
  const open = job.state === "queued" || job.state === "running";
  const resumable = job.state === "cancelled" || job.state === "failed";
  return (
    <div>
      <Flex justify="space-between" align="center">
        <Typography.Text strong>{job.title}</Typography.Text>
        {(open || resumable) && (
          <Button size="small" onClick={() => act.mutate(open ? "cancel" : "resume", { onError: complain })}>
            {open ? "Cancel" : "Take up again"}
          </Button>
        )}
      </Flex>
      <Progress
        percent={job.total === 0 ? 100 : Math.round((100 * (job.done + job.failed)) / job.total)}
        size="small"
        showInfo={false}
        strokeColor={palette.accent}
      />
      <Typography.Text type="secondary" className="numbers">
        {STATES[job.state]}: {job.done} of {job.total}
        {job.failed > 0 ? `, ${job.failed} failed` : ""}
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
