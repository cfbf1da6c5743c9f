import type { Question, Selection } from "../../api/board";

/** What is selected on a board: some by their ids, or all that it asks for but some. */
export interface Picked {
  all: boolean;
  ids: ReadonlySet<number>;
}

export const NOTHING: Picked = { all: false, ids: new Set() };

/** How many that are; total: how many the board asks for. */
export function countPicked({ all, ids }: Picked, total: number): number {
  return all ? total - ids.size : ids.size;
}

export function selectionOfPicked({ all, ids }: Picked, question: Question, total: number): Selection {
  return all ? { question, without: [...ids], total } : { ids: [...ids] };
}
