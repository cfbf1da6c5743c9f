import { Button, Checkbox, Flex, Progress, Radio, Typography } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { useDeliver } from "../../api/mutations";
import { useBoard, useJobs, type BoardRow, type Job, type Target } from "../../api/queries";
import { JobErrors } from "../../parts/JobDrawer";
import { useComplaint } from "../../parts/useComplaint";
import { useTarget } from "../../parts/useTarget";
import { VerdictMark } from "../../parts/VerdictMark";

const MOST_FILES_SHOWN = 8;

/** What will be written for which target, what does not match yet, and what was written. */
export function DeliverScreen({ project }: { project: number }) {
  const [target, choose, targets] = useTarget();
  const [search] = useSearchParams();
  const [chosen, setChosen] = useState<number[] | undefined>(search.get("materials")?.split(",").map(Number));
  const rows = useBoard(project, target).data ?? [];
  const ids = chosen ?? rows.map((row) => row.material_id);
  if (target === undefined) return null;
  return (
    <div className="screen screen-narrow deliver">
      <section aria-label="Target">
        <Typography.Title level={5} className="heading">
          Write as
        </Typography.Title>
        <Radio.Group className="ways" value={target.key} onChange={(event) => choose(event.target.value as string)}>
          {targets.map(({ key, title, format, format_title: written, writes }) => (
            <Radio key={key} value={key} disabled={format === ""}>
              {title}
              <Typography.Text type="secondary" className="block">
                {format === "" ? "no format that is installed here writes it" : `${written}: ${writes}`}
              </Typography.Text>
            </Radio>
          ))}
        </Radio.Group>
        <WriteButton project={project} ids={ids} target={target} />
      </section>
      <section aria-label="Materials">
        <Chosen rows={rows} ids={ids} choose={setChosen} />
        <Written project={project} />
      </section>
    </div>
  );
}

function WriteButton({ project, ids, target }: { project: number; ids: number[]; target: Target }) {
  const start = useDeliver(project, target);
  const complain = useComplaint();
  return (
    <Button
      type="primary"
      disabled={ids.length === 0 || target.format === ""}
      loading={start.isPending}
      onClick={() => start.mutate(ids, { onError: complain })}
    >
      Write {ids.length} {ids.length === 1 ? "material" : "materials"}
    </Button>
  );
}

interface ChosenProps {
  rows: BoardRow[];
  ids: number[];
  choose: (ids: number[]) => void;
}

function Chosen({ rows, ids, choose }: ChosenProps) {
  const unmatched = rows.filter((row) => ids.includes(row.material_id) && row.verdict?.verdict !== "match").length;
  const toggle = (id: number) => choose(ids.includes(id) ? ids.filter((other) => other !== id) : [...ids, id]);
  return (
    <>
      <Flex align="baseline" gap={14}>
        <Typography.Title level={5} className="heading">
          Materials
        </Typography.Title>
        <Typography.Text type="secondary">
          {unmatched === 0 ? "all of them match" : `${unmatched} of ${ids.length} do not match, or are not checked`}
        </Typography.Text>
      </Flex>
      <div className="deliver-materials">
        {rows.map((row) => (
          <Flex key={row.material_id} justify="space-between" gap={8}>
            <Checkbox checked={ids.includes(row.material_id)} onChange={() => toggle(row.material_id)}>
              {row.name}
            </Checkbox>
            {row.verdict === null ? (
              <span className="faded">not checked</span>
            ) : (
              <VerdictMark verdict={row.verdict.verdict} />
            )}
          </Flex>
        ))}
      </div>
    </>
  );
}

function Written({ project }: { project: number }) {
  const deliveries = (useJobs(project).data ?? []).filter((job) => job.kind === "deliver");
  if (deliveries.length === 0) {
    return <Typography.Paragraph type="secondary">Nothing has been written yet.</Typography.Paragraph>;
  }
  return (
    <>
      <Typography.Title level={5} className="heading">
        Written
      </Typography.Title>
      {deliveries.map((job) => (
        <DeliveryLine key={job.id} job={job} />
      ))}
    </>
  );
}

function DeliveryLine({ job }: { job: Job }) {
  const size = job.files.reduce((sum, file) => sum + file.size, 0);
  const busy = job.state === "queued" || job.state === "running";
  return (
    <div className="delivery">
      <Flex align="center" gap={12}>
        <strong>{job.title}</strong>
        {job.archive !== null && (
          <a href={`/api/v1/jobs/${job.id}/archive`}>
            Download, {(size / 1e6).toFixed(1)} MB in {job.files.length} files
          </a>
        )}
        {busy && <Progress percent={50} size="small" showInfo={false} status="active" className="delivery-progress" />}
      </Flex>
      <JobErrors job={job} />
      <ul className="list numbers faded smaller">
        {job.files.slice(0, MOST_FILES_SHOWN).map((file) => (
          <li key={file.name}>
            {file.name} {(file.size / 1e3).toFixed(0)} kB
          </li>
        ))}
        {job.files.length > MOST_FILES_SHOWN && <li>and {job.files.length - MOST_FILES_SHOWN} more</li>}
      </ul>
    </div>
  );
}
