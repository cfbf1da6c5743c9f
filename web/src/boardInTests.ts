import type { BoardRow } from "./api/types";
import type { Schemas } from "./api/client";

/** What a server answers that keeps these rows, in their order: the part of them that the address asks for, and how many there are. */
export function boardAnswer(rows: BoardRow[], address: URL): Schemas["BoardPage"] {
  const asked = address.searchParams;
  const named = rows.filter((row) => row.name.toLowerCase().includes((asked.get("find") ?? "").toLowerCase()));
  const states = ["all", "needs attention", "match", "near", "undecided", "off", "not converted"];
  const found = named.filter((row) => isIn(row, asked.get("state") ?? ""));
  const offset = Number(asked.get("offset"));
  return {
    rows: found.slice(offset, offset + Number(asked.get("most"))),
    total: found.length,
    counts: Object.fromEntries(states.map((state) => [state, named.filter((row) => isIn(row, state)).length])),
    reviews: {},
    unsettled: 0,
    older: 0,
  };
}

function isIn(row: BoardRow, state: string): boolean {
  if (state === "" || state === "all") return true;
  if (state === "not converted") return row.conversion_id === null;
  if (state !== "needs attention") return row.verdict?.verdict === state;
  return row.conversion_id !== null && (row.verdict?.verdict !== "match" || row.losses.length > 0);
}
