import { useCallback, useEffect, useMemo, useRef } from "react";
import { useSearchParams } from "react-router";
import { ASPECTS } from "../../parts/aspects";
import { MARKS, MEASURES, type Mark, type Measure } from "./viewer/pixels";

export const SHOWN_AS = ["pair", "all three", "divider", "blink", "difference"] as const;
export type ShownAs = (typeof SHOWN_AS)[number];

/** What is seen on the bench, and how; all of it stands in the address. */
export interface BenchView {
  rig: string;
  stand: string;
  turn: number;
  shownAs: ShownAs;
  /** Stops brighter than measured, for looking alone. */
  stops: number;
  measure: Measure;
  /** The difference at the bright end of the scale. */
  most: number;
  marks: readonly Mark[];
  /** Aspects that are shown alone; none for all. */
  only: readonly string[];
  /** Inputs of the original that are taken out on both sides. */
  without: readonly string[];
  /** A value of the original and one of the converted material, shown as they are. */
  alone: readonly [string, string] | undefined;
  /** The conversion whose converted look stands in place of the original. */
  against: number | undefined;
}

/** Changes part of a view; by a function where that depends on what it is. */
export type SetView = (part: Partial<BenchView> | ((view: BenchView) => Partial<BenchView>)) => void;

const KEPT = "fenrain.bench";
const NAMES = [
  "rig",
  "stand",
  "turn",
  "as",
  "ev",
  "measure",
  "most",
  "mark",
  "only",
  "without",
  "alone",
  "against",
] as const;

function viewOf(search: URLSearchParams): BenchView {
  const among = <T extends string>(name: string, choices: readonly T[], usual: T): T =>
    choices.find((choice) => choice === search.get(name)) ?? usual;
  const measures = Object.keys(MEASURES) as Measure[];
  const measure = among("measure", measures, "ΔE2000");
  const alone = search.getAll("alone");
  return {
    rig: search.get("rig") ?? "soft_studio",
    stand: search.get("stand") ?? "sphere",
    turn: Number(search.get("turn") ?? 0) || 0,
    shownAs: among("as", SHOWN_AS, "pair"),
    stops: Number(search.get("ev") ?? 0) || 0,
    measure,
    most: Number(search.get("most")) || MEASURES[measure].scales[0],
    marks: MARKS.filter((mark) => search.getAll("mark").includes(mark)),
    only: ASPECTS.filter((aspect) => search.getAll("only").includes(aspect)),
    without: search.getAll("without"),
    against: Number(search.get("against")) || undefined,
    alone: alone[0] !== undefined && alone[1] !== undefined ? [alone[0], alone[1]] : undefined,
  };
}

function written(view: BenchView): [string, string][] {
  const { measure } = view;
  const all: [string, string, boolean][] = [
    ["rig", view.rig, true],
    ["stand", view.stand, view.stand !== "sphere"],
    ["turn", String(view.turn), view.turn !== 0],
    ["as", view.shownAs, view.shownAs !== "pair"],
    ["ev", String(view.stops), view.stops !== 0],
    ["measure", measure, measure !== "ΔE2000"],
    ["most", String(view.most), view.most !== MEASURES[measure].scales[0]],
    ...view.marks.map((mark) => ["mark", mark, true] as [string, string, boolean]),
    ...view.only.map((aspect) => ["only", aspect, true] as [string, string, boolean]),
    ...view.without.map((name) => ["without", name, true] as [string, string, boolean]),
    ...(view.alone ?? []).map((name) => ["alone", name, true] as [string, string, boolean]),
    ["against", String(view.against), view.against !== undefined],
  ];
  return all.filter(([, , said]) => said).map(([name, value]) => [name, value]);
}

/** The view in the address, so that a link opens what was seen; where it names none, the one that was seen last in this tab. */
export function useBenchView(): [BenchView, SetView] {
  const [search, setSearch] = useSearchParams();
  const text = NAMES.some((name) => search.has(name)) ? search.toString() : (sessionStorage.getItem(KEPT) ?? "");
  const view = useMemo(() => viewOf(new URLSearchParams(text)), [text]);
  // The address follows a moment later than what is done: two acts at once begin from what the first one made.
  const latest = useRef(view);
  useEffect(() => {
    latest.current = view;
  }, [view]);
  const change = useCallback<SetView>(
    (part) => {
      const next = { ...latest.current, ...(typeof part === "function" ? part(latest.current) : part) };
      latest.current = next;
      // What is taken out and shown alone belongs to one material; the rest is kept for the next.
      const lasting = { ...next, without: [], alone: undefined, against: undefined };
      sessionStorage.setItem(KEPT, new URLSearchParams(written(lasting)).toString());
      setSearch(
        (old) => {
          const kept = [...old].filter(([name]) => !NAMES.some((known) => known === name));
          return new URLSearchParams([...kept, ...written(next)]);
        },
        { replace: true },
      );
    },
    [setSearch],
  );
  return [view, change];
}

/** Whether the looks are shown as they are, with nothing taken out. */
export function isWhole({ only, without, alone, against }: BenchView): boolean {
  return only.length === 0 && without.length === 0 && alone === undefined && against === undefined;
}
