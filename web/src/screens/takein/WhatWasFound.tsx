import { Alert, Button, Flex, Input, Popconfirm, Select, Typography } from "antd";
import { useMemo, useState, type ReactNode } from "react";
import { useAccept, useChangeIntake, useForgetIntake } from "../../api/mutations";
import { NEWEST_FIRST } from "../../api/board";
import { useProjects, type Intake } from "../../api/queries";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { targetOptions, useTarget } from "../../parts/useTarget";
import { spaced } from "../../parts/words";
import { FoundTable, type Found } from "./FoundTable";
import { SheetDialects } from "./SheetDialects";

const UNITS = [
  { value: 0, label: "unit not said" },
  { value: 1, label: "metres" },
  { value: 0.01, label: "centimetres" },
  { value: 0.001, label: "millimetres" },
  { value: 0.0254, label: "inches" },
  { value: 0.3048, label: "feet" },
];
const ANY = "all";
const DOUBTFUL = "with doubts";
const SOUND = "without doubts";

interface FoundProps {
  intake: Intake;
  project: number;
}

/** Every material of an intake: filtered, ticked and unticked at once, corrected, and taken onto the board. */
export function WhatWasFound({ intake, project }: FoundProps) {
  const go = useGo();
  const [target, chooseTarget, targets] = useTarget(project);
  const accept = useAccept(project, intake.id);
  const forget = useForgetIntake(project, intake.id);
  const complain = useComplaint();
  const onBoard = useProjects().data?.find(({ id }) => id === project)?.materials ?? 0;
  const [leftOut, setLeftOut] = useState<ReadonlySet<string>>(new Set());
  const [filter, setFilter] = useState<Filter>({ wanted: "", doubt: ANY, file: ANY, model: ANY });
  const changed = useChanged(intake.found);
  const shown = useMemo(() => intake.found.filter((one) => passes(one, filter)), [intake.found, filter]);
  const chosen = intake.found.filter((one) => !leftOut.has(keyOf(one)));
  const doubtful = intake.found.filter(isDoubtful).length;
  const take = () => {
    if (target === undefined) return;
    const positions = chosen.map(({ position }) => position);
    const board = `/board?to=${target.key}${onBoard > 0 ? `&${NEWEST_FIRST}` : ""}`;
    accept.mutate({ positions, aim: target }, { onSuccess: () => go(board), onError: complain });
  };
  const tick = (ones: Found[], taken: boolean) => {
    const next = new Set(leftOut);
    for (const one of ones) {
      if (taken) next.delete(keyOf(one));
      else next.add(keyOf(one));
    }
    setLeftOut(next);
  };
  return (
    <>
      <Refused intake={intake} />
      <SheetDialects intake={intake} />
      <MissingFiles intake={intake} />
      <Flex gap={12} align="center" wrap>
        <Typography.Text>
          <strong className="numbers">{intake.found.length}</strong>{" "}
          {intake.found.length === 1 ? "material" : "materials"} in {intake.files.length} files
          {doubtful > 0 ? `, ${doubtful} with doubts` : ", nothing in doubt"}
          {changed.size > 0 && `; ${changed.size} understood otherwise than before`}.
        </Typography.Text>
        <Unit intake={intake} />
        <Flex gap={8} align="center" className="end">
          <Popconfirm
            title="Put aside what was handed in?"
            onConfirm={() => forget.mutate(undefined, { onError: complain })}
          >
            <Button>Begin anew</Button>
          </Popconfirm>
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
      <Filters found={intake.found} filter={filter} setFilter={setFilter}>
        <Button size="small" onClick={() => tick(shown, true)}>
          Tick the {shown.length} shown
        </Button>
        <Button size="small" onClick={() => tick(shown, false)}>
          Untick them
        </Button>
      </Filters>
      <FoundTable
        intake={intake}
        found={shown}
        isTaken={(one) => !leftOut.has(keyOf(one))}
        hasChanged={(one) => changed.has(keyOf(one))}
        tick={tick}
      />
    </>
  );
}

/** The materials that the last action understood otherwise than before, by key. */
function useChanged(found: Found[]): ReadonlySet<string> {
  const [last, setLast] = useState<{ found: Found[]; changed: ReadonlySet<string> }>({ found, changed: new Set() });
  if (last.found !== found) {
    const before = new Map(last.found.map((one) => [keyOf(one), understood(one)]));
    const differs = (one: Found) => before.has(keyOf(one)) && before.get(keyOf(one)) !== understood(one);
    setLast({ found, changed: new Set(found.filter(differs).map(keyOf)) });
  }
  return last.changed;
}

function understood({ model, values }: Found): string {
  return JSON.stringify([model, values]);
}

/** The unit of length, for files that state none. */
function Unit({ intake }: { intake: Intake }) {
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  if (intake.unit === 0 && intake.found.every(({ unit }) => unit > 0)) return null;
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
  const missing = new Set(
    intake.found.flatMap(({ findings }) =>
      findings.filter(({ code }) => code === "missing-map").map(({ evidence }) => evidence),
    ),
  );
  if (missing.size === 0) return null;
  return (
    <Flex gap={10} align="center" wrap>
      <span>
        <strong className="numbers">{missing.size}</strong> {missing.size === 1 ? "map is" : "maps are"} missing.{" "}
        <span className="faded">Drop {missing.size === 1 ? "it" : "them"} above, or look below a folder:</span>
      </span>
      <Input.Search
        aria-label="Folder of the server that missing maps lie in"
        size="small"
        className="field-folder"
        placeholder="/shows/heron_lode/maps"
        enterButton="Look there"
        loading={change.isPending}
        onSearch={(folder) => change.mutate({ kind: "search", folder }, { onError: complain })}
      />
    </Flex>
  );
}

interface Filter {
  wanted: string;
  doubt: string;
  file: string;
  model: string;
}

interface FiltersProps {
  found: Found[];
  filter: Filter;
  setFilter: (filter: Filter) => void;
  children: ReactNode;
}

function Filters({ found, filter, setFilter, children }: FiltersProps) {
  const files = [...new Set(found.map(({ file }) => file))];
  const models = [...new Set(found.map(({ model }) => model))];
  const chosen = (label: string, name: "doubt" | "file" | "model", values: string[]) => (
    <Select
      aria-label={label}
      size="small"
      className="field"
      value={filter[name]}
      options={values.map((value) => ({ value, label: value === ANY ? `${label}: all` : spaced(value) }))}
      onChange={(value) => setFilter({ ...filter, [name]: value })}
    />
  );
  return (
    <Flex gap={8} align="center" wrap>
      <Input.Search
        aria-label="Find by name"
        size="small"
        className="field"
        placeholder="Find by name"
        allowClear
        onChange={(event) => setFilter({ ...filter, wanted: event.target.value })}
      />
      {chosen("Doubts", "doubt", [ANY, DOUBTFUL, SOUND])}
      {files.length > 1 && chosen("File", "file", [ANY, ...files])}
      {models.length > 1 && chosen("Model", "model", [ANY, ...models])}
      {children}
    </Flex>
  );
}

function passes(one: Found, { wanted, doubt, file, model }: Filter): boolean {
  return (
    one.name.toLowerCase().includes(wanted.toLowerCase()) &&
    (doubt === ANY || isDoubtful(one) === (doubt === DOUBTFUL)) &&
    (file === ANY || one.file === file) &&
    (model === ANY || one.model === model)
  );
}

function isDoubtful({ findings }: Found): boolean {
  return findings.some(({ severity }) => severity !== "note");
}

/** What names a material while files are added around it. */
function keyOf({ file, place, name }: Found): string {
  return `${file} ${place} ${name}`;
}

/** Files that could not be read, in one list, and those that nothing uses. */
function Refused({ intake }: { intake: Intake }) {
  const { unused } = intake;
  const errors = intake.errors.filter(({ file }) => !intake.sheets.some((sheet) => sheet.file === file));
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
