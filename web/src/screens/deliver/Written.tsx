import { Flex, Progress, Typography } from "antd";
import { useJobs } from "../../api/jobs";
import type { Job } from "../../api/types";
import { JobErrors } from "../../parts/JobDrawer";
import { Since } from "./Since";

const MOST_FILES_SHOWN = 6;

/** Deliveries, the newest first: what each wrote, where it lies, and what the validators say of it. */
export function Written({ project }: { project: number }) {
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
        <DeliveryLine
          key={job.id}
          job={job}
          earlier={deliveries.filter(({ id, archive }) => id < job.id && archive !== null)}
        />
      ))}
    </>
  );
}

function DeliveryLine({ job, earlier }: { job: Job; earlier: Job[] }) {
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
        {job.archive !== null && <Since job={job} earlier={earlier} />}
        {busy && (
          <Progress
            aria-label="It is being written"
            percent={50}
            size="small"
            showInfo={false}
            status="active"
            className="delivery-progress"
          />
        )}
      </Flex>
      {job.folder !== "" && <div className="numbers smaller">{job.folder}</div>}
      <JobErrors job={job} />
      <Validations job={job} />
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

/** What looked the files over, and every one that something is wrong with. */
function Validations({ job }: { job: Job }) {
  if (job.validations.length === 0) return null;
  const asked = [...new Set(job.validations.map(({ by }) => by).filter((by) => by !== ""))];
  const said = job.validations.filter(({ by, errors }) => errors > 0 || by === "");
  return (
    <div className="smaller" role="status" aria-label="Validation">
      {said.length === 0 && <span>✓ nothing wrong by {asked.join(", ")}</span>}
      {said.map((one) => (
        <div key={`${one.file} ${one.by}`}>
          {one.by === "" ? (
            <span className="faded">{one.said[0]}</span>
          ) : (
            <>
              <strong>{one.file}</strong>, {one.by}: {one.errors} {one.errors === 1 ? "fault" : "faults"}.{" "}
              {one.said.slice(0, 3).join(" ")}
            </>
          )}
        </div>
      ))}
    </div>
  );
}
