import { Alert, Button, Flex, Input, Popconfirm, Select, Typography } from "antd";
import { useState, type ReactNode } from "react";
import { NEWEST_FIRST } from "../../api/board";
import type { Schemas } from "../../api/client";
import { useAccept, useChangeIntake, useForgetIntake, useFound } from "../../api/intakes";
import { useProjects } from "../../api/projects";
import type { Intake, Sought } from "../../api/types";
import { FindField } from "../../parts/FindField";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { targetOptions, useTarget } from "../../parts/useTarget";
import { spaced } from "../../parts/words";
import { FoundTable } from "./FoundTable";
import { SheetDialects } from "./SheetDialects";

const UNITS = [
  { value: 0, label: "unit not said" },
  { value: 1, label: "metres" },
  { value: 0.01, label: "centimetres" },
  { value: 0.001, label: "millimetres" },
  { value: 0.0254, label: "inches" },
  { value: 0.3048, label: "feet" },
];
const DOUBTS = [
  { value: "" as const, label: "Findings: all" },
  { value: "doubtful" as const, label: "with findings" },
  { value: "sound" as const, label: "without findings" },
];
const ALL: Sought = { find: "", file: "", model: "", doubts: "" };

interface FoundProps {
  intake: Intake;
  project: number;
}

/** Every material of an intake: filtered, ticked and unticked at once, corrected, and taken onto the board. */
export function WhatWasFound({ intake, project }: FoundProps) {
  const change = useChangeIntake(project, intake.id);
  const complain = useComplaint();
  const [sought, setSought] = useState(ALL);
  const [page, turn] = useState(1);
  const shown = useFound(intake.id, sought, page).data;
  const seek = (wanted: Sought) => {
    setSought(wanted);
    turn(1);
  };
  const take = (wanted: Schemas["MarkTakenIn"]) => change.mutate({ kind: "take", wanted }, { onError: complain });
  return (
    <>
      <Refused intake={intake} />
      <SheetDialects intake={intake} />
      <MissingFiles intake={intake} />
      <OntoTheBoard intake={intake} project={project} />
      <Filters intake={intake} sought={sought} seek={seek}>
        <Button size="small" onClick={() => take({ ...sought, taken: true })}>
          Tick the {shown?.total ?? 0} shown
        </Button>
        <Button size="small" onClick={() => take({ ...sought, taken: false })}>
          Untick them
        </Button>
      </Filters>
      <FoundTable
        intake={intake}
        found={shown?.rows ?? []}
        total={shown?.total ?? 0}
        page={page}
        turn={turn}
        tick={(position, taken) => take({ ...ALL, positions: [position], taken })}
      />
    </>
  );
}

/** How much was found, and what becomes of it. */
function OntoTheBoard({ intake, project }: FoundProps) {
  const go = useGo();
  const [target, chooseTarget, targets] = useTarget(project);
  const accept = useAccept(project, intake.id);
  const forget = useForgetIntake(project, intake.id);
  const complain = useComplaint();
  const onBoard = useProjects().data?.find(({ id }) => id === project)?.materials ?? 0;
  const { materials, taken, doubtful, changed } = intake.found;
  const enter = () => {
    if (target === undefined) return;
    const board = `/board?to=${target.key}${onBoard > 0 ? `&${NEWEST_FIRST}` : ""}`;
    accept.mutate(target, { onSuccess: () => go(board), onError: complain });
  };
  return (
    <Flex gap={12} align="center" wrap>
      <Typography.Text>
        <strong className="numbers">{materials}</strong> {materials === 1 ? "material" : "materials"} in {intake.files}{" "}
        files
        {doubtful > 0 ? `, ${doubtful} with findings` : ", no findings"}
        {changed > 0 && `; ${changed} understood otherwise than before`}.
      </Typography.Text>
      <Unit intake={intake} />
      <Flex gap={8} align="center" className="end">
        <Popconfirm title="Discard this import?" onConfirm={() => forget.mutate(undefined, { onError: complain })}>
          <Button>Start over</Button>
        </Popconfirm>
        <Select
          aria-label="Convert to"
          className="field"
          value={target?.key ?? null}
          options={targetOptions(targets)}
          onChange={chooseTarget}
        />
        <Button type="primary" disabled={taken === 0} loading={accept.isPending} onClick={enter}>
          Take {taken} onto the board
        </Button>
      </Flex>
    </Flex>
  );
}

/** The unit of length, for files that state none. */
function Unit({ intake }: { intake: Intake }) {
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  if (intake.unit === 0 && intake.found.without_unit === 0) return null;
  return (
    <Select
      aria-label="Unit of length, where files state none"
      size="small"
      className="field"
      value={intake.unit}
      options={UNITS}
      onChange={(metres) => change.mutate({ kind: "unit", metres }, { onError: complain })}
    />
  );
}

/** Files that are missing are looked for below a folder of the server. */
function MissingFiles({ intake }: { intake: Intake }) {
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  const missing = intake.missing_files;
  if (missing === 0) return null;
  return (
    <Flex gap={10} align="center" wrap>
      <span>
        <strong className="numbers">{missing}</strong> {missing === 1 ? "map is" : "maps are"} missing.{" "}
        <span className="faded">
          Drop {missing === 1 ? "it" : "them"} above{intake.search_roots.length > 0 && ", or look below a folder:"}
        </span>
      </span>
      {intake.search_roots.length > 0 && (
        <Input.Search
          aria-label="Folder of the server that missing maps lie in"
          size="small"
          className="field-folder"
          placeholder={intake.search_roots.join(", ")}
          enterButton="Look there"
          loading={change.isPending}
          onSearch={(folder) => change.mutate({ kind: "search", folder }, { onError: complain })}
        />
      )}
    </Flex>
  );
}

interface FiltersProps {
  intake: Intake;
  sought: Sought;
  seek: (sought: Sought) => void;
  children: ReactNode;
}

function Filters({ intake, sought, seek, children }: FiltersProps) {
  const chosen = (label: string, name: "file" | "model", values: string[]) => (
    <Select
      aria-label={label}
      size="small"
      className="field"
      showSearch
      value={sought[name]}
      options={["", ...values].map((value) => ({ value, label: value === "" ? `${label}: all` : spaced(value) }))}
      onChange={(value) => seek({ ...sought, [name]: value })}
    />
  );
  return (
    <Flex gap={8} align="center" wrap>
      <FindField size="small" find={(find) => seek({ ...sought, find })} />
      <Select
        aria-label="Findings"
        size="small"
        className="field"
        value={sought.doubts}
        options={DOUBTS}
        onChange={(doubts) => seek({ ...sought, doubts })}
      />
      {intake.found_in.length > 1 && chosen("File", "file", intake.found_in)}
      {intake.found_as.length > 1 && chosen("Model", "model", intake.found_as)}
      {children}
    </Flex>
  );
}

/** Files that could not be read, in one list, and those that nothing uses. */
function Refused({ intake }: { intake: Intake }) {
  const { unused, unused_files } = intake;
  const ofSheets = intake.sheets.filter(({ refused }) => refused).length;
  const errors = intake.errors.filter(({ file }) => !intake.sheets.some((sheet) => sheet.file === file));
  const refused = intake.refused_files - ofSheets;
  return (
    <>
      {errors.length > 0 && (
        <Alert
          type="error"
          showIcon
          title={`${refused} of ${intake.files} files could not be read`}
          description={
            <ul className="list" aria-label="Files that could not be read">
              {errors.map((error) => (
                <li key={`${error.file} ${error.message}`}>
                  <strong>{error.file}</strong>: {error.message}{" "}
                  <span className="faded">{[error.place, error.remedy].filter(Boolean).join(" · ")}</span>
                </li>
              ))}
              {refused > errors.length && <li>and {refused - errors.length} more</li>}
            </ul>
          }
        />
      )}
      {unused.length > 0 && (
        <Typography.Text type="secondary">
          Not used by any material: {unused.join(", ")}
          {unused_files > unused.length && ` and ${unused_files - unused.length} more`}.
        </Typography.Text>
      )}
    </>
  );
}
