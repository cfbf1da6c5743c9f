import { useEffect, useMemo, useRef, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { fileUrl } from "../../api/client";
import { keys } from "../../api/keys";
import { useEngineState } from "../../api/knowledge";
import type { Check, Conversion, Decision, Figures, LookFrame, Reading } from "../../api/types";
import type { Step } from "../../parts/grading";
import type { BenchView } from "./useBenchView";

/** Edges in pixels of the pictures that the server draws. */
const SIZES = [256, 384, 512, 768] as const;
const LARGEST = SIZES[3];

/** Constants, and steps on values, that are tried without being kept, by name. */
export type Trial = Readonly<Record<string, number | boolean | readonly number[] | { grade: Step[] }>>;

export interface Pictures {
  original: string;
  converted: string;
  difference: string;
  /** Where what is known of each pixel is to be had, "" where it is not. */
  pixels: string;
}

/** What is to be seen of a view right now. */
export interface Look {
  /** Addresses of the pictures; undefined only before the very first ones are there. */
  pictures: Pictures | undefined;
  /** Whether the converted picture and its numbers belong to what was there before. */
  stale: boolean;
  /** Whether the original belongs to what was there before, too. */
  originalStale: boolean;
  decision: Decision | undefined;
  readings: Reading[];
  figures: Figures;
  samples: number;
  /** Whether quick pictures are shown, while the renderer is compiled for such materials. */
  preparing: boolean;
  /** Whether more passes are to come. */
  refining: boolean;
  failure: string | undefined;
}

interface Seen {
  wish: string;
  scene: string;
  frame: LookFrame;
  pictures: Pictures | undefined;
}

/**
 * A view, drawn at once and then better and better. What was there before stays until something new is; a view that changes before its first
 * picture is there waits for it, so that dragging shows every picture that can be made meanwhile.
 */
export function useLook(conversion: Conversion, view: BenchView, trial: Trial, edge: number): Look {
  const size = SIZES.find((drawn) => drawn >= edge * window.devicePixelRatio) ?? LARGEST;
  const engineRuns = useEngineState().data?.engine_runs ?? false;
  const queries = useQueryClient();
  const { rig, stand, turn } = view;
  const scene = `${conversion.material_id}/${rig}/${stand}/${turn}`;
  const tried = Object.keys(trial).length > 0 ? JSON.stringify(trial) : "";
  const isolated = isolation(view);
  const asItStands = tried === "" && isolated === "";
  const wish = `${conversion.id}/${conversion.version}/${scene}/${isolated}/${tried}/${size}`;
  const kept = useMemo(
    () => (asItStands ? keptCheck(conversion.checks, view) : undefined),
    [conversion.checks, view, asItStands],
  );
  const [seen, setSeen] = useState<Seen>();
  const open = useRef<{ wish: string; source: EventSource; answered: boolean }>(undefined);
  const [free, setFree] = useState(0);
  const needed = engineRuns && (kept === undefined || kept.size < size);

  useEffect(() => {
    if (!needed) {
      open.current?.source.close();
      open.current = undefined;
      return;
    }
    // One that has not answered yet is let finish its first picture; the newest wish then follows.
    if (open.current !== undefined && (open.current.wish === wish || !open.current.answered)) return;
    open.current?.source.close();
    const query = new URLSearchParams({ rig, stand, turn: String(turn), size: String(size) });
    if (tried !== "") query.set("trial", tried);
    for (const [name, value] of new URLSearchParams(isolated)) query.append(name, value);
    const source = new EventSource(`/api/v1/conversions/${conversion.id}/look?${query}`);
    const current = { wish, source, answered: false };
    open.current = current;
    const answer = () => {
      if (current.answered) return;
      current.answered = true;
      setFree((count) => count + 1);
    };
    source.addEventListener("frame", (event: MessageEvent<string>) => {
      const frame = JSON.parse(event.data) as LookFrame;
      setSeen((before) => ({
        wish,
        scene,
        frame: frame.pictures === null && !frame.problem ? { ...(before?.frame ?? frame), done: frame.done } : frame,
        pictures: withPixels(frame.pictures, before?.wish === wish ? before.pictures : undefined) ?? before?.pictures,
      }));
      answer();
      if (frame.done) {
        source.close();
        if (asItStands) void queries.invalidateQueries({ queryKey: keys.conversion(conversion.id) });
      }
    });
    source.onerror = () => {
      source.close();
      answer();
    };
    // The wish names all that the view depends on.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wish, needed, free]);

  useEffect(() => () => open.current?.source.close(), []);

  const fresh = seen?.wish === wish ? seen : undefined;
  const stored = kept !== undefined && (fresh === undefined || kept.size >= size) ? kept : undefined;
  const pictures = stored !== undefined ? addresses(stored) : (fresh ?? seen)?.pictures;
  const measured = stored ?? (fresh ?? seen)?.frame;
  const failure = fresh?.frame.problem ?? undefined;
  return {
    pictures,
    stale: stored === undefined && fresh === undefined,
    originalStale: stored === undefined && fresh === undefined && seen?.scene !== scene,
    decision: measured?.decision ?? undefined,
    readings: measured?.readings ?? [],
    figures: (stored === undefined && fresh?.frame.figures) || conversion.figures,
    samples: measured?.samples ?? 0,
    preparing: fresh?.frame.preparing === true,
    refining: needed && fresh?.frame.done !== true && failure === undefined,
    failure: failure === undefined ? undefined : `${failure.detail} ${failure.remedy}`,
  };
}

/** Pictures on the way to better ones come without their pixels: those that came before hold on. */
function withPixels(pictures: Pictures | null, before: Pictures | undefined): Pictures | undefined {
  if (pictures === null) return undefined;
  return pictures.pixels === "" && before !== undefined ? { ...pictures, pixels: before.pixels } : pictures;
}

/** What is taken out or shown alone, as the server is asked for it. */
function isolation({ only, without, alone, against }: BenchView): string {
  const asked = [
    ...only.map((aspect) => ["only", aspect]),
    ...without.map((name) => ["without", name]),
    ...(alone ?? []).map((name) => ["alone", name]),
    ...(against === undefined ? [] : [["against", String(against)]]),
  ];
  return new URLSearchParams(asked).toString();
}

function keptCheck(checks: Check[], { rig, stand, turn }: BenchView): Check | undefined {
  return checks.find((check) => check.rig === rig && check.stand === stand && check.turn === turn);
}

function addresses({ pictures }: Check): Pictures {
  return {
    original: fileUrl(pictures.original),
    converted: fileUrl(pictures.converted),
    difference: fileUrl(pictures.difference),
    pixels: pictures.pixels === "" ? "" : fileUrl(pictures.pixels),
  };
}
