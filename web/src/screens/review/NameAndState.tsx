import { VerdictMark } from "../../parts/VerdictMark";
import { stageOf, type Reviewable } from "./queue";

/** What a material is called, its verdict, and how it waits. */
export function NameAndState({ row }: { row: Reviewable }) {
  return (
    <>
      <span className="one-line plain">{row.name}</span>
      <span className="queue-state">
        {row.verdict !== null && <VerdictMark verdict={row.verdict.verdict} title={row.verdict.text} />}
        <span className="faded smaller">{stageOf(row)}</span>
      </span>
    </>
  );
}
