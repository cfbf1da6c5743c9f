import { App, Button, Drawer, Empty, Flex, Progress, Typography } from "antd";
import { client, unwrap } from "../api/client";
import { useJobMutation, type Job } from "../api/queries";
import { palette } from "../theme";
import { explain } from "./Failure";

const STATES: Record<Job["state"], string> = { queued: "waiting", running: "at work", done: "done", failed: "done, with failures", cancelled: "cancelled" };

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
      <Flex vertical gap={18}>{jobs.map((job) => <JobLine key={job.id} job={job} project={project} />)}</Flex>
    </Drawer>
  );
}

function JobLine({ job, project }: { job: Job; project: number }) {
  const { message } = App.useApp();
  const act = useJobMutation(project, (verb: "cancel" | "resume") => unwrap(client.POST(`/api/v1/jobs/{job_id}/${verb}`, { params: { path: { job_id: job.id } } })));
  const open = job.state === "queued" || job.state === "running";
  const resumable = job.state === "cancelled" || job.state === "failed";
  const verb = open ? "cancel" : "resume";
  return (
    <div>
      <Flex justify="space-between" align="center">
        <Typography.Text strong>{job.title}</Typography.Text>
        {(open || resumable) && <Button size="small" onClick={() => act.mutate(verb, { onError: (error) => void message.error(explain(error)) })}>{open ? "Cancel" : "Take up again"}</Button>}
      </Flex>
      <Progress percent={job.total === 0 ? 100 : Math.round((100 * (job.done + job.failed)) / job.total)} size="small" showInfo={false} strokeColor={palette.accent} />
      <Typography.Text type="secondary" className="numbers">{STATES[job.state]}: {job.done} of {job.total}{job.failed > 0 ? `, ${job.failed} failed` : ""}</Typography.Text>
      {job.errors.map((error) => <Typography.Paragraph key={error} type="danger" style={{ margin: "4px 0 0" }}>{error}</Typography.Paragraph>)}
    </div>
  );
}
