import { Button, Checkbox, Dropdown, Select, Table } from "antd";
import { useState } from "react";
import { fileUrl, type Schemas } from "../../api/client";
import { FOUND_ON_A_PAGE, type IntakeChange, useChangeIntake } from "../../api/intakes";
import { useModels } from "../../api/knowledge";
import type { Finding, Found, Intake } from "../../api/types";
import { FindingList } from "../../parts/FindingList";
import { useComplaint } from "../../parts/useComplaint";
import { spaced } from "../../parts/words";
import { OF_MAPS, OF_NUMBERS } from "./conventions";

const MOST_VALUES = 3;
/** What is said once, of the sheet, and not of each of its materials. */
const SAID_OF_SHEET = "guessed-dialect";
interface TableProps {
  intake: Intake;
  found: Found[];
  total: number;
  page: number;
  turn: (page: number) => void;
  tick: (position: number, taken: boolean) => void;
}

type Projection = NonNullable<Schemas["Correction"]["projection"]>;

interface TickProps {
  label: string;
  taken: boolean;
  tick: (taken: boolean) => void;
}

/** A tick that shows in the same moment, and follows what the page says as soon as that changes. */
function Tick({ label, taken, tick }: TickProps) {
  const [shown, setShown] = useState({ taken, known: taken });
  if (shown.known !== taken) setShown({ taken, known: taken });
  return (
    <Checkbox
      aria-label={label}
      checked={shown.taken}
      onChange={({ target }) => {
        setShown({ taken: target.checked, known: taken });
        tick(target.checked);
      }}
    />
  );
}

/** A page of the materials that were found, a row each: what they are understood as, their values, and what is odd about them. */
export function FoundTable({ intake, found, total, page, turn, tick }: TableProps) {
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  const models = (useModels().data ?? []).map(({ id }) => id).filter((id) => id !== "mix");
  const make = (wanted: IntakeChange) => change.mutate(wanted, { onError: complain });
  const correct = (position: number, correction: Schemas["Correction"]) =>
    make({ kind: "correct", position, correction });
  const remedy = (row: Found) => (finding: Finding) =>
    correct(row.position, { invert: false, ...finding.fix, parameter: finding.parameter });
  const choose = (path: string) => make({ kind: "namesake", name: path.split("/").at(-1) ?? path, path });
  return (
    <Table<Found>
      size="small"
      className="found"
      tableLayout="fixed"
      rowKey="position"
      dataSource={found}
      pagination={
        total > FOUND_ON_A_PAGE && {
          current: page,
          total,
          pageSize: FOUND_ON_A_PAGE,
          showSizeChanger: false,
          onChange: turn,
        }
      }
      columns={[
        {
          title: "",
          width: 36,
          render: (_, row) => (
            <Tick label={`Import ${row.name}`} taken={row.taken} tick={(taken) => tick(row.position, taken)} />
          ),
        },
        {
          title: "",
          width: 52,
          render: (_, row) => row.picture !== "" && <img className="found-picture" src={fileUrl(row.picture)} alt="" />,
        },
        { title: "Material", width: 190, render: (_, row) => <NameAndPlace row={row} /> },
        {
          title: "Understood as",
          width: 150,
          render: (_, row) => (
            <>
              <ModelOf
                row={row}
                models={models}
                choose={(model) => correct(row.position, { parameter: "", invert: false, model })}
              />
              {row.corrections > 0 && (
                <Button
                  size="small"
                  type="link"
                  className="quiet"
                  onClick={() => make({ kind: "takeBack", position: row.position })}
                >
                  take {row.corrections === 1 ? "the correction" : `${row.corrections} corrections`} back
                </Button>
              )}
            </>
          ),
        },
        {
          title: "Values",
          render: (_, row) => <Values row={row} correct={(correction) => correct(row.position, correction)} />,
        },
        {
          title: "Used by",
          width: 120,
          ellipsis: true,
          render: (_, row) => row.meshes.join(", ") || <span className="faded">no mesh</span>,
        },
        {
          title: "Findings",
          width: 340,
          render: (_, row) => {
            const told = row.findings.filter(({ code }) => code !== SAID_OF_SHEET);
            if (told.length === 0 && !row.lacks_uvs) return <span className="faded">none</span>;
            return (
              <>
                <FindingList findings={told} remedy={remedy(row)} choose={choose} />
                {row.otherwise !== "" && <BothReadings row={row} />}
                {row.lacks_uvs && (
                  <ProjectionOf
                    row={row}
                    choose={(projection) => correct(row.position, { parameter: "", invert: false, projection })}
                  />
                )}
              </>
            );
          },
        },
      ]}
    />
  );
}

/** A doubtful reading beside the one that its remedy makes. */
function BothReadings({ row }: { row: Found }) {
  return (
    <div className="readings">
      {[
        { words: "as written", picture: row.picture },
        { words: "with the remedy", picture: row.otherwise },
      ].map(({ words, picture }) => (
        <figure key={words}>
          <img className="found-picture" src={fileUrl(picture)} alt={`${row.name} ${words}`} />
          <figcaption>{words}</figcaption>
        </figure>
      ))}
    </div>
  );
}

const PROJECTIONS: { value: Projection; label: string }[] = [
  { value: "box", label: "UVs projected by a box" },
  { value: "cylinder", label: "UVs projected by a cylinder" },
  { value: "sphere", label: "UVs projected by a sphere" },
  { value: "plane", label: "UVs projected by a plane" },
  { value: "unwrap", label: "UVs by unwrapping the mesh" },
];

/** How meshes get the texture coordinates that they lack. */
function ProjectionOf({ row, choose }: { row: Found; choose: (projection: Projection) => void }) {
  return (
    <Select<Projection>
      aria-label={`Texture coordinates of ${row.name}`}
      size="small"
      className="projection"
      placeholder="Give these meshes UVs…"
      value={row.projection === "" ? null : (row.projection as Projection)}
      options={PROJECTIONS}
      onChange={choose}
    />
  );
}

function NameAndPlace({ row }: { row: Found }) {
  return (
    <>
      <strong>{row.name}</strong>
      {row.changed && <span className="small"> ◦ changed</span>}
      <span className="faded block small">
        {row.place.startsWith(row.file) ? row.place : `${row.file} · ${row.place}`}
      </span>
    </>
  );
}

interface ModelProps {
  row: Found;
  models: string[];
  choose: (model: string) => void;
}

/** The shading model that the material is taken for; a mix is what its parts are. */
function ModelOf({ row, models, choose }: ModelProps) {
  if (row.model === "mix") return spaced(row.model);
  return (
    <Select
      aria-label={`Model of ${row.name}`}
      size="small"
      variant="borderless"
      className="field-whole"
      popupMatchSelectWidth={false}
      value={row.model}
      options={models.map((id) => ({ value: id, label: spaced(id) }))}
      onChange={choose}
    />
  );
}

/** The first values, maps before constants, the others on demand; how each is read can be corrected there. */
function Values({ row, correct }: { row: Found; correct: (correction: Schemas["Correction"]) => void }) {
  const sorted = Object.entries(row.values).sort(([one], [other]) => placeOf(row, one) - placeOf(row, other));
  const line = ([name, shown]: [string, string]) => (
    <span key={name} className="small block one-line">
      <span className="faded">{name}</span> <span className="numbers">{shown}</span>{" "}
      {placeOf(row, name) < PLAIN && <Correct name={name} isMap={row.mapped.includes(name)} correct={correct} />}
    </span>
  );
  return (
    <>
      {sorted.slice(0, MOST_VALUES).map(line)}
      {sorted.length > MOST_VALUES && (
        <details className="small">
          <summary className="faded">and {sorted.length - MOST_VALUES} more</summary>
          {sorted.slice(MOST_VALUES).map(line)}
        </details>
      )}
    </>
  );
}

const PLAIN = 2;

/** Maps before numbers and colours before flags and choices. */
function placeOf({ mapped, counted }: Found, name: string): number {
  return mapped.includes(name) ? 0 : counted.includes(name) ? 1 : PLAIN;
}

interface CorrectProps {
  name: string;
  isMap: boolean;
  correct: (correction: Schemas["Correction"]) => void;
}

function Correct({ name, isMap, correct }: CorrectProps) {
  const items = (isMap ? OF_MAPS : OF_NUMBERS).map(({ label, fix }, key) => ({
    key,
    label,
    onClick: () => correct({ ...fix, parameter: name }),
  }));
  return (
    <Dropdown menu={{ items }} trigger={["click"]}>
      <Button size="small" type="text" className="quiet" aria-label={`Correct ${name}`}>
        correct
      </Button>
    </Dropdown>
  );
}
