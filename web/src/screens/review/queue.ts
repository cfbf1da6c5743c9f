import type { BoardRow } from "../../api/types";

/** Converted materials as they wait for a person, most urgent first. */
export const STAGES = ["open again", "waiting", "sent back", "accepted"] as const;
export type Stage = (typeof STAGES)[number];

/** A row of the board that is converted. */
export type Reviewable = BoardRow & { conversion_id: number; version: number };

/** What was accepted or sent back and has changed since comes first, then what nobody has looked at. */
export function stageOf({ review }: BoardRow): Stage {
  if (review === null || (review.state === "open" && review.changed.length === 0)) return "waiting";
  return review.state === "open" ? "open again" : review.state;
}

/** Those of a board, sorted by urgency, that can be reviewed. */
export function queueOf(rows: BoardRow[]): Reviewable[] {
  return rows.filter(
    (row): row is Reviewable => row.conversion_id !== null && row.version !== null && row.verdict !== null,
  );
}

/** The one to look at after one was settled: the next of those that still wait, by the order that was seen. */
export function nextOf(queue: Reviewable[], current: number): number | undefined {
  const at = queue.findIndex(({ conversion_id: id }) => id === current);
  const order = [...queue.slice(at + 1), ...queue.slice(0, Math.max(at, 0))];
  return order.find((row) => row.conversion_id !== current && ["open again", "waiting"].includes(stageOf(row)))
    ?.conversion_id;
}
