import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "./client";
import { keys } from "./keys";
import type { TargetRef, BoardRow, Chosen } from "./types";

/** What a board is filtered by; all of the project where nothing is said. */
export type Question = Omit<Required<Schemas["BoardQuery-Input"]>, "without">;

/** A board as it is looked at: filtered and sorted. */
export interface Asked extends Question {
  sort: string;
  descending: boolean;
}

/** Materials by their ids, or those that a question finds but for some; and how many they are. */
export type Selection = { ids: number[] } | { question: Question; without: number[]; total: number };

export const NO_QUESTION: Question = { state: "", find: "", file: "", model: "", lost: "", reason: "", review: "" };
export const WHOLE_BOARD: Asked = { ...NO_QUESTION, sort: "came", descending: false };
/** The part of an address that asks for what came last at the top, so that what has just come is seen. */
export const NEWEST_FIRST = "down=1";
const WORDS = ["state", "find", "file", "model", "lost", "reason", "review", "sort"] as const;

/** What the address of a page asks for. */
export function askedOf(search: URLSearchParams): Asked {
  const said = WORDS.flatMap((name) => (search.has(name) ? [[name, search.get(name)] as const] : []));
  return { ...WHOLE_BOARD, ...Object.fromEntries(said), descending: search.get("down") === "1" };
}

/** The part of an address that asks for it again. */
export function addressOf(asked: Asked): string {
  const said = new URLSearchParams();
  for (const name of WORDS) if (asked[name] !== WHOLE_BOARD[name]) said.set(name, asked[name]);
  if (asked.descending) said.set("down", "1");
  return said.toString();
}

export function questionOf({ state, find, file, model, lost, reason, review }: Asked): Question {
  return { state, find, file, model, lost, reason, review };
}

/** How many materials are selected. */
export function countOf(selection: Selection): number {
  return "ids" in selection ? selection.ids.length : selection.total - selection.without.length;
}

/** A selection as requests name it. */
export function bodyOf(selection: Selection): Chosen {
  return "ids" in selection
    ? { material_ids: selection.ids }
    : { question: { ...selection.question, without: selection.without } };
}

/** The part of an address by which a selection goes to another page. */
export function selectionAddress(selection: Selection): string {
  if ("ids" in selection) return `materials=${selection.ids.join(",")}`;
  return `of=${encodeURIComponent(JSON.stringify(selection))}`;
}

/** The selection that came with an address. */
export function selectionOf(search: URLSearchParams): Selection | undefined {
  const [ids, of] = [search.get("materials"), search.get("of")];
  if (ids !== null) return { ids: ids.split(",").filter(Boolean).map(Number) };
  return of === null ? undefined : (JSON.parse(of) as Selection);
}

export const PAGE = 100;

/** Milliseconds until one asks again for a board of which some rows are being judged. */
const JUDGED_AGAIN = 1500;

function pageQuery(project: number, target: TargetRef | undefined, asked: Asked, page: number, most = PAGE) {
  const query = { ...asked, target: target?.model ?? "", profile: target?.profile ?? "", offset: page * most, most };
  return {
    queryKey: keys.boardPage(project, target, asked, page, most),
    enabled: target !== undefined,
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/board", { params: { path: { project_id: project }, query } })),
  };
}

/** The first rows of a board, with how many there are; asked again while some are being judged. */
export function useBoard(project: number, target: TargetRef | undefined, asked: Asked = WHOLE_BOARD, most = PAGE) {
  return useQuery({
    ...pageQuery(project, target, asked, 0, most),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => ((query.state.data?.unsettled ?? 0) > 0 ? JUDGED_AGAIN : false),
  });
}

/** The rows of a board between two places, as far as they are loaded, by their places. */
export function useBoardRows(project: number, target: TargetRef, asked: Asked, first: number, last: number) {
  const pages: number[] = [];
  for (let page = Math.floor(first / PAGE); page <= Math.floor(last / PAGE); page += 1) pages.push(page);
  return useQueries({
    queries: pages.map((page) => pageQuery(project, target, asked, page)),
    combine: (found) => {
      const rows = new Map<number, BoardRow>();
      found.forEach(({ data }, at) =>
        data?.rows.forEach((row, index) => rows.set((pages[at] ?? 0) * PAGE + index, row)),
      );
      return rows;
    },
  });
}

/** What the board can be filtered by. */
export function useBoardChoices(project: number, target: TargetRef) {
  return useQuery({
    queryKey: keys.boardChoices(project, target),
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/projects/{project_id}/board/choices", {
          params: { path: { project_id: project }, query: { target: target.model, profile: target.profile } },
        }),
      ),
  });
}

/** What stands before and after a conversion on the board as it is sorted and filtered. */
export function useNeighbours(project: number, target: TargetRef | undefined, asked: Asked, conversion: number) {
  return useQuery({
    queryKey: keys.neighbours(project, target, asked, conversion),
    enabled: target !== undefined,
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/projects/{project_id}/board/around/{conversion_id}", {
          params: {
            path: { project_id: project, conversion_id: conversion },
            query: { ...asked, target: target?.model ?? "", profile: target?.profile ?? "" },
          },
        }),
      ),
  });
}
