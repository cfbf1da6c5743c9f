import { Alert, Button, Checkbox, Flex, Select, Table, Typography, Upload } from "antd";
import { useState } from "react";
import { useAccept, useHandIn } from "../../api/mutations";
import type { Intake } from "../../api/queries";
import { FindingList } from "../../parts/FindingList";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { targetOptions, useTarget } from "../../parts/useTarget";
import { spaced } from "../../parts/words";
import { SheetDialects } from "./SheetDialects";
import { StartFromPreset } from "./StartFromPreset";

type Found = Intake["found"][number];

/** What was handed in, what was found in it, what is in doubt and what is wrong, before anything enters the board. */
export function TakeInScreen({ project }: { project: number }) {
  const [intake, setIntake] = useState<Intake>();
  const handIn = useHandIn(project);
  const complain = useComplaint();
  return (
    <Flex vertical gap={18} className="screen screen-narrow">
      <DropPlace
        busy={handIn.isPending}
        handIn={(files) => handIn.mutate(files, { onSuccess: setIntake, onError: complain })}
        small={intake !== undefined}
      />
      {intake === undefined ? (
        <StartFromPreset project={project} />
      ) : (
        <WhatWasFound key={intake.id} intake={intake} project={project} change={setIntake} />
      )}
    </Flex>
  );
}

function DropPlace({ busy, handIn, small }: { busy: boolean; handIn: (files: File[]) => void; small: boolean }) {
  return (
    <Upload.Dragger
      multiple
      showUploadList={false}
      disabled={busy}
      beforeUpload={(file, list) => {
        if (file === list.at(-1)) handIn(list);
        return false;
      }}
    >
      <div className={small ? "drop-again" : "drop"}>
        <Typography.Title level={small ? 5 : 3} className="heading">
          {busy ? "Reading…" : "Drop material files here, with their maps"}
        </Typography.Title>
        <Typography.Text type="secondary">
          GLB and glTF, OBJ with MTL, USD, MaterialX, parameter sheets (JSON, YAML, CSV) with their dialect, or a zip of
          any of them. The originals are kept unchanged.
        </Typography.Text>
      </div>
    </Upload.Dragger>
  );
}

interface FoundProps {
  intake: Intake;
  project: number;
  change: (intake: Intake) => void;
}

function WhatWasFound({ intake, project, change }: FoundProps) {
  const go = useGo();
  const [target, chooseTarget, targets] = useTarget(project);
  const accept = useAccept(project, intake.id);
  const complain = useComplaint();
  const [chosen, setChosen] = useState<number[]>(intake.found.map((material) => material.position));
  const doubtful = intake.found.filter(({ findings }) => findings.some(({ severity }) => severity !== "note")).length;
  const take = () => {
    if (target === undefined) return;
    accept.mutate(
      { positions: chosen, aim: target },
      { onSuccess: () => go(`/board?to=${target.key}`), onError: complain },
    );
  };
  return (
    <>
      <Refused intake={intake} />
      <SheetDialects intake={intake} change={change} />
      <Flex gap={12} align="center">
        <Typography.Text>
          <strong className="numbers">{intake.found.length}</strong>{" "}
          {intake.found.length === 1 ? "material" : "materials"} in {intake.files.length} files
          {doubtful > 0 ? `, ${doubtful} with doubts` : ", nothing in doubt"}.
        </Typography.Text>
        <Flex gap={8} align="center" className="end">
          <Select
            aria-label="Convert to"
            className="field"
            value={target?.key ?? null}
            options={targetOptions(targets)}
            onChange={chooseTarget}
          />
          <Button type="primary" disabled={chosen.length === 0} loading={accept.isPending} onClick={take}>
            Take {chosen.length} onto the board
          </Button>
        </Flex>
      </Flex>
      <FoundTable found={intake.found} chosen={chosen} choose={setChosen} />
    </>
  );
}

/** Files that could not be read, in one list, and those that nothing uses. */
function Refused({ intake }: { intake: Intake }) {
  const { errors, unused } = intake;
  return (
    <>
      {errors.length > 0 && (
        <Alert
          type="error"
          showIcon
          title={`${errors.length} of ${intake.files.length} files could not be read`}
          description={
            <ul className="list" aria-label="Files that could not be read">
              {errors.map((error) => (
                <li key={`${error.file} ${error.message}`}>
                  <strong>{error.file}</strong>: {error.message}{" "}
                  <span className="faded">{[error.place, error.remedy].filter(Boolean).join(" · ")}</span>
                </li>
              ))}
            </ul>
          }
        />
      )}
      {unused.length > 0 && (
        <Typography.Text type="secondary">Not used by any material: {unused.join(", ")}.</Typography.Text>
      )}
    </>
  );
}

interface TableProps {
  found: Found[];
  chosen: number[];
  choose: (positions: number[]) => void;
}

function FoundTable({ found, chosen, choose }: TableProps) {
  const toggle = (position: number) =>
    choose(chosen.includes(position) ? chosen.filter((other) => other !== position) : [...chosen, position]);
  return (
    <Table<Found>
      size="small"
      className="found"
      tableLayout="fixed"
      rowKey="position"
      dataSource={found}
      pagination={found.length > 100 ? { pageSize: 100 } : false}
      columns={[
        {
          title: "",
          width: 36,
          render: (_, row) => (
            <Checkbox
              aria-label={`Take in ${row.name}`}
              checked={chosen.includes(row.position)}
              onChange={() => toggle(row.position)}
            />
          ),
        },
        { title: "Material", width: 210, render: (_, row) => <NameAndPlace row={row} /> },
        { title: "Understood as", width: 150, render: (_, row) => spaced(row.model) },
        { title: "Values", render: (_, row) => <Values values={row.values} /> },
        {
          title: "Used by",
          width: 140,
          render: (_, row) => row.meshes.join(", ") || <span className="faded">no mesh</span>,
        },
        {
          title: "Findings",
          width: 320,
          render: (_, row) =>
            row.findings.length > 0 ? <FindingList findings={row.findings} /> : <span className="faded">none</span>,
        },
      ]}
    />
  );
}

function NameAndPlace({ row }: { row: Found }) {
  return (
    <>
      <strong>{row.name}</strong>
      <span className="faded block">{row.place.startsWith(row.file) ? row.place : `${row.file} · ${row.place}`}</span>
    </>
  );
}

function Values({ values }: { values: Record<string, string> }) {
  return Object.entries(values).map(([name, shown]) => (
    <span key={name} className="small block">
      <span className="faded">{name}</span> <span className="numbers">{shown}</span>
    </span>
  ));
}
