import { Alert, Button, Checkbox, Flex, Select, Table, Typography, Upload } from "antd";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, unwrap } from "../../api/client";
import { keys, type Intake } from "../../api/queries";
import { AIMS } from "../../parts/aims";
import { FindingList } from "../../parts/FindingList";
import { useAttempt } from "../../parts/useAttempt";
import { palette } from "../../theme";
import { SheetDialects } from "./SheetDialects";
import { StartFromPreset } from "./StartFromPreset";

type Found = Intake["found"][number];

/** What was handed in, what was found in it, what is in doubt and what is wrong, before anything enters the board. */
export function TakeInScreen({ project }: { project: number }) {
  const attempt = useAttempt();
  const [intake, setIntake] = useState<Intake>();
  const [busy, setBusy] = useState(false);
  const handIn = async (files: File[]) => {
    setBusy(true);
    await attempt(async () => setIntake(await upload(project, files)));
    setBusy(false);
  };
  return (
    <Flex vertical gap={18} style={{ padding: 20, maxWidth: 1240, margin: "0 auto" }}>
      <DropPlace busy={busy} handIn={(files) => void handIn(files)} small={intake !== undefined} />
      {intake !== undefined && <Findings key={intake.id} intake={intake} project={project} change={setIntake} />}
      {intake === undefined && <StartFromPreset project={project} />}
    </Flex>
  );
}

async function upload(project: number, files: File[]): Promise<Intake> {
  const form = new FormData();
  for (const file of files) form.append("files", file, file.webkitRelativePath || file.name);
  return unwrap(client.POST("/api/v1/projects/{project_id}/intakes", {
    params: { path: { project_id: project } }, body: { files: [] }, bodySerializer: () => form,
  }));
}

function DropPlace({ busy, handIn, small }: { busy: boolean; handIn: (files: File[]) => void; small: boolean }) {
  return (
    <Upload.Dragger multiple showUploadList={false} disabled={busy} beforeUpload={(file, list) => {
      if (file === list.at(-1)) handIn(list);
      return false;
    }}>
      <div style={{ padding: small ? "6px 0" : "70px 0" }}>
        <Typography.Title level={small ? 5 : 3} style={{ margin: 0 }}>{busy ? "Reading…" : "Drop material files here, with their maps"}</Typography.Title>
        <Typography.Paragraph type="secondary" style={{ margin: "6px 0 0" }}>GLB and glTF, OBJ with MTL, MaterialX, parameter sheets (JSON, YAML, CSV) with their dialect, or a zip of any of them. The originals are kept unchanged.</Typography.Paragraph>
      </div>
    </Upload.Dragger>
  );
}

function Findings({ intake, project, change }: { intake: Intake; project: number; change: (intake: Intake) => void }) {
  const attempt = useAttempt();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [aim, setAim] = useState(AIMS[0].key);
  const [chosen, setChosen] = useState<number[]>(intake.found.map((material) => material.position));
  const doubts = intake.found.filter((material) => material.findings.some((finding) => finding.severity !== "note")).length;
  const accept = () => attempt(async () => {
    const target = AIMS.find((candidate) => candidate.key === aim) ?? AIMS[0];
    await unwrap(client.POST("/api/v1/intakes/{intake_id}/accept", {
      params: { path: { intake_id: intake.id } }, body: { positions: chosen, target: target.target, profile: target.profile },
    }));
    await queries.invalidateQueries({ queryKey: keys.projects });
    await queries.invalidateQueries({ queryKey: ["board", project] });
    await navigate(`/board?to=${aim}`);
  });
  return (
    <>
      {intake.errors.map((error) => (
        <Alert key={error.file} type="error" showIcon title={`${error.file}: ${error.message}`} description={[error.place, error.remedy].filter(Boolean).join(" · ")} />
      ))}
      <SheetDialects intake={intake} change={change} />
      <Flex gap={12} align="center">
        <Typography.Text><strong className="numbers">{intake.found.length}</strong> materials in {intake.files.length} files{doubts > 0 ? `, ${doubts} with doubts` : ", nothing in doubt"}.</Typography.Text>
        <Flex gap={8} align="center" style={{ marginLeft: "auto" }}>
          <Select aria-label="Convert to" value={aim} style={{ width: 200 }} options={AIMS.map(({ key, label }) => ({ value: key, label: `to ${label}` }))} onChange={setAim} />
          <Button type="primary" disabled={chosen.length === 0} onClick={() => void accept()}>Take {chosen.length} onto the board</Button>
        </Flex>
      </Flex>
      <FoundTable found={intake.found} chosen={chosen} choose={setChosen} />
    </>
  );
}

function FoundTable({ found, chosen, choose }: { found: Found[]; chosen: number[]; choose: (positions: number[]) => void }) {
  const toggle = (position: number) => choose(chosen.includes(position) ? chosen.filter((other) => other !== position) : [...chosen, position]);
  return (
    <Table<Found>
      size="small" rowKey="position" dataSource={found} pagination={found.length > 100 ? { pageSize: 100 } : false}
      onRow={() => ({ style: { verticalAlign: "top" } })}
      columns={[
        { title: "", width: 36, render: (_, row) => <Checkbox aria-label={`Take in ${row.name}`} checked={chosen.includes(row.position)} onChange={() => toggle(row.position)} /> },
        { title: "Material", width: 210, render: (_, row) => <><strong>{row.name}</strong><br /><Typography.Text type="secondary">{row.file} · {row.place}</Typography.Text></> },
        { title: "Understood as", width: 150, render: (_, row) => row.model.replaceAll("_", " ") },
        { title: "Values", render: (_, row) => <Values values={row.values} /> },
        { title: "Used by", width: 140, render: (_, row) => row.meshes.join(", ") || <Typography.Text type="secondary">no mesh</Typography.Text> },
        { title: "Findings", width: 320, render: (_, row) => (row.findings.length > 0 ? <FindingList findings={row.findings} /> : <Typography.Text type="secondary">none</Typography.Text>) },
      ]}
    />
  );
}

function Values({ values }: { values: Record<string, string> }) {
  return (
    <span style={{ fontSize: 13 }}>
      {Object.entries(values).map(([name, shown]) => (
        <span key={name} style={{ display: "block" }}><span style={{ color: palette.faded }}>{name}</span> <span className="numbers">{shown}</span></span>
      ))}
    </span>
  );
}
