import { App, Button, Empty, Flex, Progress, Table } from "antd";
import { useDoOrUndo, useRehearsal, type Rehearsal } from "../api/acts";
import { fileUrl } from "../api/client";
import { useJobs } from "../api/jobs";
import { JobErrors } from "./JobDrawer";
import { PictureWell } from "./PictureWell";
import { useComplaint } from "./useComplaint";
import { VERDICTS, VerdictMark } from "./VerdictMark";
import { palette } from "../theme";

type Row = Rehearsal["rows"][number];

interface Props {
  project: number;
  job: number | undefined;
  done: () => void;
}

/** What an act would change, before it is done: how many, what in words, their verdicts before and after, and pictures of a few. */
export function RehearsedAct({ project, job, done }: Props) {
  const jobs = useJobs(project).data ?? [];
  const rehearsing = jobs.find(({ id }) => id === job);
  const goesOn = rehearsing === undefined || ["queued", "running", "paused"].includes(rehearsing.state);
  const found = useRehearsal(job, goesOn).data;
  const { perform } = useDoOrUndo(project);
  const complain = useComplaint();
  const { message } = App.useApp();
  const begun = () => {
    void message.info("It is being done: Jobs says how far it is, and the history below takes it back.");
    done();
  };
  if (job === undefined)
    return <Empty className="many-rehearsed" description="What it would change is shown here before it is done." />;
  const percent = rehearsing && (100 * (rehearsing.done + rehearsing.failed)) / Math.max(rehearsing.total, 1);
  return (
    <section aria-label="What it would change" className="many-rehearsed">
      {goesOn && (
        <Progress
          aria-label="How much is rehearsed"
          percent={Math.round(percent ?? 0)}
          size="small"
          strokeColor={palette.accent}
        />
      )}
      {rehearsing !== undefined && <JobErrors job={rehearsing} />}
      {found !== undefined && (
        <Flex vertical gap={12}>
          <Flex gap={14} align="center" wrap>
            <strong role="status">
              {found.changed} would change{goesOn ? " so far" : ""}: {found.words}
            </strong>
            <Button
              type="primary"
              disabled={goesOn || found.changed === 0}
              loading={perform.isPending}
              onClick={() => perform.mutate(job, { onSuccess: begun, onError: complain })}
            >
              Apply
            </Button>
          </Flex>
          {found.changed > 0 && <Verdicts found={found} />}
          <Pairs rows={found.rows.filter(({ pictures }) => Object.keys(pictures).length > 0)} />
          <Table<Row>
            size="small"
            rowKey="conversion_id"
            locale={{ emptyText: goesOn ? "It is being looked at." : "Nothing on the board would change." }}
            pagination={{ pageSize: 10, hideOnSinglePage: true, showSizeChanger: false }}
            dataSource={found.rows}
            columns={[
              { title: "material", dataIndex: "name", ellipsis: true },
              { title: "what changes", dataIndex: "changes" },
              { title: "before", width: 120, render: (_, row) => <Mark decision={row.before} /> },
              { title: "after", width: 120, render: (_, row) => <Mark decision={row.after} /> },
            ]}
          />
        </Flex>
      )}
    </section>
  );
}

function Mark({ decision }: { decision: Row["before"] }) {
  return <VerdictMark verdict={decision.verdict} title={decision.text} />;
}

/** How many have which verdict by quick figures, before and after. */
function Verdicts({ found }: { found: Rehearsal }) {
  return (
    <Flex gap={18} align="center" wrap className="small">
      {VERDICTS.filter((verdict) => (found.before[verdict] ?? 0) + (found.after[verdict] ?? 0) > 0).map((verdict) => (
        <span key={verdict}>
          <VerdictMark verdict={verdict} />{" "}
          <span className="numbers">
            {found.before[verdict] ?? 0} → {found.after[verdict] ?? 0}
          </span>
        </span>
      ))}
      <span>{found.worse === 0 ? "none would be worse" : `${found.worse} would be worse`} by quick figures</span>
    </Flex>
  );
}

function Pairs({ rows }: { rows: Row[] }) {
  return (
    <Flex gap={12} wrap>
      {rows.map((row) => (
        <figure key={row.conversion_id} className="captioned on-well many-pair">
          <span className="contact-pair">
            {(["before", "after"] as const).map((side) => (
              <PictureWell
                key={side}
                source={row.pictures[side] && fileUrl(row.pictures[side])}
                label={`${row.name}, ${side}`}
                edge="50%"
              />
            ))}
          </span>
          <figcaption className="one-line">{row.name}: before, after</figcaption>
        </figure>
      ))}
    </Flex>
  );
}
