import { Button, Checkbox, Dropdown, Table } from "antd";
import { useChangeIntake } from "../../api/mutations";
import type { Schemas } from "../../api/client";
import type { Finding, Intake } from "../../api/queries";
import { FindingList } from "../../parts/FindingList";
import { useComplaint } from "../../parts/useComplaint";
import { spaced } from "../../parts/words";

export type Found = Intake["found"][number];

const MOST_VALUES = 4;
const A_PAGE = 50;
const CORRECTIONS: { label: string; fix: Omit<Schemas["Correction"], "parameter"> }[] = [
  { label: "turn it, white for black", fix: { invert: true } },
  { label: "read it as data (linear)", fix: { invert: false, encoding: "linear" } },
  { label: "read it as colour (sRGB)", fix: { invert: false, encoding: "srgb" } },
  { label: "read its red", fix: { invert: false, channel: "r" } },
  { label: "read its green", fix: { invert: false, channel: "g" } },
  { label: "read its blue", fix: { invert: false, channel: "b" } },
  { label: "read its alpha", fix: { invert: false, channel: "a" } },
];

interface TableProps {
  intake: Intake;
  found: Found[];
  isTaken: (one: Found) => boolean;
  tick: (ones: Found[], taken: boolean) => void;
}

/** The materials that were found, a row each: what they are understood as, their values, and what is odd about them. */
export function FoundTable({ intake, found, isTaken, tick }: TableProps) {
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  const correct = (position: number, correction: Schemas["Correction"]) =>
    change.mutate({ kind: "correct", position, correction }, { onError: complain });
  const remedy = (row: Found) => (finding: Finding) =>
    correct(row.position, { invert: false, ...finding.fix, parameter: finding.parameter });
  return (
    <Table<Found>
      size="small"
      className="found"
      tableLayout="fixed"
      rowKey="position"
      dataSource={found}
      pagination={found.length > A_PAGE ? { pageSize: A_PAGE, showSizeChanger: false } : false}
      columns={[
        {
          title: "",
          width: 36,
          render: (_, row) => (
            <Checkbox
              aria-label={`Take in ${row.name}`}
              checked={isTaken(row)}
              onChange={(event) => tick([row], event.target.checked)}
            />
          ),
        },
        { title: "Material", width: 200, render: (_, row) => <NameAndPlace row={row} /> },
        { title: "Understood as", width: 120, render: (_, row) => spaced(row.model) },
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
          render: (_, row) =>
            row.findings.length > 0 ? (
              <FindingList findings={row.findings} remedy={remedy(row)} />
            ) : (
              <span className="faded">none</span>
            ),
        },
      ]}
    />
  );
}

function NameAndPlace({ row }: { row: Found }) {
  return (
    <>
      <strong>{row.name}</strong>
      <span className="faded block small">
        {row.place.startsWith(row.file) ? row.place : `${row.file} · ${row.place}`}
      </span>
    </>
  );
}

/** The first values, maps before constants, the others on demand; a map can be corrected there. */
function Values({ row, correct }: { row: Found; correct: (correction: Schemas["Correction"]) => void }) {
  const isMap = ([name]: [string, string]) => row.mapped.includes(name);
  const values = Object.entries(row.values);
  const sorted = [...values.filter(isMap), ...values.filter((value) => !isMap(value))];
  const line = ([name, shown]: [string, string]) => (
    <span key={name} className="small block one-line">
      <span className="faded">{name}</span> <span className="numbers">{shown}</span>{" "}
      {row.mapped.includes(name) && <Correct name={name} correct={correct} />}
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

function Correct({ name, correct }: { name: string; correct: (correction: Schemas["Correction"]) => void }) {
  const items = CORRECTIONS.map(({ label, fix }, key) => ({
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
