import { App, Button, Checkbox, Flex, Progress, Radio, Typography } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { client, unwrap } from "../../api/client";
import { useBoard, useJobMutation, useJobs, type BoardRow, type Job } from "../../api/queries";
import { AIMS, type Aim } from "../../parts/aims";
import { explain } from "../../parts/Failure";
import { VerdictMark } from "../../parts/VerdictMark";
import { palette } from "../../theme";

type FormatName = "materialx" | "gltf" | "mtl";

interface Way {
  key: string;
  aim: string;
  format: FormatName;
  label: string;
  says: string;
}

const WAYS: [Way, ...Way[]] = [
  { key: "openpbr-mtlx", aim: "open_pbr", format: "materialx", label: "OpenPBR as MaterialX", says: "one .mtlx for each file taken in, maps beside it" },
  { key: "gltf", aim: "gltf", format: "gltf", label: "glTF with extensions as GLB", says: "the same meshes with converted materials, maps packed" },
  { key: "gltf-core", aim: "gltf-core", format: "gltf", label: "glTF core as GLB", says: "no extension at all, for the leanest viewers" },
  { key: "gltf-mtlx", aim: "gltf", format: "materialx", label: "glTF as MaterialX", says: "the gltf_pbr node" },
  { key: "mtl", aim: "mtl", format: "mtl", label: "MTL", says: "exponent highlights, for old pipelines" },
];

/** What will be written for which target, what does not match yet, and what was written. */
export function DeliverScreen({ project }: { project: number }) {
  const [search] = useSearchParams();
  const given = search.get("materials")?.split(",").map(Number);
  const [wayKey, setWayKey] = useState(WAYS.find((way) => way.aim === search.get("to"))?.key ?? WAYS[0].key);
  const way = WAYS.find((candidate) => candidate.key === wayKey) ?? WAYS[0];
  const aim = AIMS.find((candidate) => candidate.key === way.aim) ?? AIMS[0];
  const rows = useBoard(project, aim).data ?? [];
  const [chosen, setChosen] = useState<number[] | undefined>(given);
  const ids = chosen ?? rows.map((row) => row.material_id);
  return (
    <div style={{ display: "grid", gridTemplateColumns: "minmax(300px, 380px) minmax(0, 1fr)", gap: 28, padding: 20, maxWidth: 1240, margin: "0 auto" }}>
      <section aria-label="Target">
        <Typography.Title level={5} style={{ marginTop: 0 }}>Write as</Typography.Title>
        <Radio.Group value={way.key} onChange={(event) => setWayKey(event.target.value as string)} style={{ display: "flex", flexDirection: "column", gap: 10 }}>
          {WAYS.map(({ key, label, says }) => <Radio key={key} value={key}>{label}<br /><Typography.Text type="secondary">{says}</Typography.Text></Radio>)}
        </Radio.Group>
        <WriteButton project={project} ids={ids} aim={aim} format={way.format} />
      </section>
      <section aria-label="Materials">
        <Chosen rows={rows} ids={ids} choose={setChosen} />
        <Written project={project} />
      </section>
    </div>
  );
}

function WriteButton({ project, ids, aim, format }: { project: number; ids: number[]; aim: Aim; format: FormatName }) {
  const { message } = App.useApp();
  const start = useJobMutation(project, () => unwrap(client.POST("/api/v1/projects/{project_id}/deliveries", {
    params: { path: { project_id: project } }, body: { material_ids: ids, target: aim.target, profile: aim.profile, format },
  })));
  return (
    <Button type="primary" style={{ marginTop: 20 }} disabled={ids.length === 0} loading={start.isPending} onClick={() => start.mutate(undefined, { onError: (error) => void message.error(explain(error), 8) })}>
      Write {ids.length} {ids.length === 1 ? "material" : "materials"}
    </Button>
  );
}

function Chosen({ rows, ids, choose }: { rows: BoardRow[]; ids: number[]; choose: (ids: number[]) => void }) {
  const unmatched = rows.filter((row) => ids.includes(row.material_id) && row.verdict !== "match").length;
  const toggle = (id: number) => choose(ids.includes(id) ? ids.filter((other) => other !== id) : [...ids, id]);
  return (
    <>
      <Flex align="baseline" gap={14}>
        <Typography.Title level={5} style={{ marginTop: 0 }}>Materials</Typography.Title>
        <Typography.Text type="secondary">{unmatched === 0 ? "all of them match" : `${unmatched} of ${ids.length} do not match, or are not checked`}</Typography.Text>
      </Flex>
      <div style={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(260px, 1fr))", gap: "2px 16px", maxHeight: 300, overflow: "auto" }}>
        {rows.map((row) => (
          <Flex key={row.material_id} justify="space-between" gap={8}>
            <Checkbox checked={ids.includes(row.material_id)} onChange={() => toggle(row.material_id)}>{row.name}</Checkbox>
            {row.verdict === null ? <span style={{ color: palette.faded }}>not checked</span> : <VerdictMark verdict={row.verdict} />}
          </Flex>
        ))}
      </div>
    </>
  );
}

function Written({ project }: { project: number }) {
  const deliveries = (useJobs(project).data ?? []).filter((job) => job.kind === "deliver");
  if (deliveries.length === 0) return <Typography.Paragraph type="secondary" style={{ marginTop: 24 }}>Nothing has been written yet.</Typography.Paragraph>;
  return (
    <>
      <Typography.Title level={5} style={{ marginTop: 28 }}>Written</Typography.Title>
      {deliveries.map((job) => <DeliveryLine key={job.id} job={job} />)}
    </>
  );
}

function DeliveryLine({ job }: { job: Job }) {
  const size = job.files.reduce((sum, file) => sum + file.size, 0);
  return (
    <div style={{ borderTop: `1px solid ${palette.rule}`, padding: "8px 0" }}>
      <Flex align="center" gap={12}>
        <strong>{job.title}</strong>
        {job.archive !== null && <a href={`/api/v1/jobs/${job.id}/archive`}>Download, {(size / 1e6).toFixed(1)} MB in {job.files.length} files</a>}
        {(job.state === "queued" || job.state === "running") && <Progress percent={50} size="small" showInfo={false} status="active" style={{ width: 160, margin: 0 }} />}
      </Flex>
      {job.errors.map((error) => <Typography.Paragraph key={error} type="danger" style={{ margin: 0 }}>{error}</Typography.Paragraph>)}
      <ul className="numbers" style={{ margin: "4px 0 0", paddingLeft: 18, fontSize: 12.5, color: palette.faded }}>
        {job.files.slice(0, 8).map((file) => <li key={file.name}>{file.name} {(file.size / 1e3).toFixed(0)} kB</li>)}
        {job.files.length > 8 && <li>and {job.files.length - 8} more</li>}
      </ul>
    </div>
  );
}
