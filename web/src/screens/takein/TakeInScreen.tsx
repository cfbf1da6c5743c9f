import { Button, Flex, Progress, Typography, Upload } from "antd";
import { useState, type ReactNode } from "react";
import { useChangeIntake, useHandIn, useOpenIntake } from "../../api/intakes";
import type { Intake } from "../../api/types";
import { Failure } from "../../parts/Failure";
import { useComplaint } from "../../parts/useComplaint";
import { StartFromPreset } from "./StartFromPreset";
import { WhatWasFound } from "./WhatWasFound";
import "./takein.css";

/** What was uploaded, what was found in it, what is in doubt and what is wrong, before anything enters the board. */
export function TakeInScreen({ project }: { project: number }) {
  const { data: intake, error } = useOpenIntake(project);
  if (error !== null) return <Failure error={error} />;
  if (intake === undefined) return null;
  return (
    <Flex vertical gap={18} className={intake === null ? "screen screen-narrow" : "screen screen-wide"}>
      {intake === null ? (
        <>
          <FirstDrop project={project} />
          <StartFromPreset project={project} />
        </>
      ) : (
        <>
          <AnotherDrop intake={intake} />
          <WhatWasFound key={intake.id} intake={intake} project={project} />
        </>
      )}
    </Flex>
  );
}

function FirstDrop({ project }: { project: number }) {
  const handIn = useHandIn(project);
  const complain = useComplaint();
  const [arrived, tell] = useState(0);
  const take = (files: File[]) => handIn.mutate({ files, tell }, { onError: complain });
  return (
    <DropPlace busy={handIn.isPending} take={take} small={false}>
      <Typography.Title level={3} className="heading">
        {handIn.isPending ? doing(arrived) : "Drop material files here, with their maps"}
      </Typography.Title>
      {handIn.isPending && <Arrived share={arrived} />}
      <Typography.Text type="secondary">
        GLB and glTF, OBJ with MTL, USD, MaterialX, parameter sheets (JSON, YAML, CSV) with their dialect, or a zip of
        any of them. The originals are kept unchanged.
      </Typography.Text>
    </DropPlace>
  );
}

/** More files for what is there already: a map that was missing is enough. */
function AnotherDrop({ intake }: { intake: Intake }) {
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  const [arrived, tell] = useState(0);
  const take = (files: File[]) => change.mutate({ kind: "add", files, tell }, { onError: complain });
  return (
    <DropPlace busy={change.isPending} take={take} small>
      <Typography.Text strong>{change.isPending ? doing(arrived) : "Drop more files here"}</Typography.Text>{" "}
      {change.isPending && <Arrived share={arrived} />}
      <Typography.Text type="secondary">They join what was uploaded; a map that was missing is enough.</Typography.Text>
    </DropPlace>
  );
}

function doing(arrived: number): string {
  return arrived < 1 ? "Sending…" : "Reading…";
}

function Arrived({ share }: { share: number }) {
  return <Progress aria-label="Files that have arrived" percent={Math.round(100 * share)} size="small" />;
}

interface DropProps {
  busy: boolean;
  take: (files: File[]) => void;
  small: boolean;
  children: ReactNode;
}

function DropPlace({ busy, take, small, children }: DropProps) {
  const takeLast = (file: File, list: File[]) => {
    if (file === list.at(-1)) take(list);
    return false;
  };
  return (
    <div className="drop-place">
      <Upload.Dragger multiple showUploadList={false} disabled={busy} beforeUpload={takeLast}>
        <div className={small ? "drop-again" : "drop"}>{children}</div>
      </Upload.Dragger>
      <Upload
        directory
        showUploadList={false}
        disabled={busy}
        beforeUpload={takeLast}
        className={small ? "drop-folder drop-folder-inside" : "drop-folder"}
      >
        <Button size="small" type="link">
          Choose a whole folder
        </Button>
      </Upload>
    </div>
  );
}
