import { useEffect } from "react";
import { useRigs, useStands } from "../../api/queries";
import type { BenchView } from "./useBenchView";
import type { Mark } from "./viewer/pixels";
import type { ZoomActs } from "./viewer/useZoom";

/** How far an arrow key moves what is magnified, as a share of the edge. */
const STEP = 0.1;

interface Actions {
  project: number;
  view: BenchView;
  setView: (change: Partial<BenchView>) => void;
  acts: ZoomActs;
  full: boolean;
  setFull: (full: boolean) => void;
  previous: (() => void) | undefined;
  next: (() => void) | undefined;
  help: () => void;
}

/** Plain letters, only while nothing is being typed and no modifier is held, so that the browser keeps its own. */
export function useBenchKeys({ project, view, setView, acts, full, setFull, previous, next, help }: Actions) {
  const rigs = useRigs(project).data;
  const stands = useStands(project).data;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || isTypedInto(target)) return;
      const marked = (mark: Mark) => () =>
        setView({
          marks: view.marks.includes(mark) ? view.marks.filter((other) => other !== mark) : [...view.marks, mark],
        });
      const actions: Record<string, (() => void) | undefined> = {
        j: next,
        k: previous,
        "?": help,
        r: () => setView({ rig: after(rigs, view.rig.split(":")[0] ?? "") }),
        s: () => setView({ stand: after(stands, view.stand.split(":")[0] ?? "") }),
        t: () => setView({ turn: (view.turn + 90) % 360 }),
        p: () => setView({ shownAs: "pair" }),
        o: () => setView({ shownAs: "all three" }),
        v: () => setView({ shownAs: "divider" }),
        b: () => setView({ shownAs: "blink" }),
        x: () => setView({ shownAs: "difference" }),
        e: () => setView({ stops: view.stops + 0.5 }),
        E: () => setView({ stops: view.stops - 0.5 }),
        c: marked("clipped"),
        n: marked("noise"),
        l: marked("rim"),
        f: () => setFull(!full),
        Escape: full ? () => setFull(false) : undefined,
        "+": () => acts.about(2),
        "-": () => acts.about(0.5),
        "0": acts.whole,
        ArrowLeft: () => acts.pan(STEP, 0),
        ArrowRight: () => acts.pan(-STEP, 0),
        ArrowUp: acts.zoomed ? () => acts.pan(0, STEP) : undefined,
        ArrowDown: acts.zoomed ? () => acts.pan(0, -STEP) : undefined,
      };
      const act = actions[event.key];
      if (act === undefined) return;
      if (event.key.startsWith("Arrow")) event.preventDefault();
      act();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [view, setView, acts, full, setFull, previous, next, help, rigs, stands]);
}

/** Whether keys belong to what has the focus: a field, a list that is open, a dialog; and what is moved by the arrow keys. */
function isTypedInto(target: HTMLElement): boolean {
  if (target.closest("[role=dialog], [role=slider], textarea, [aria-expanded=true]") !== null) return true;
  const field = target.closest<HTMLInputElement>("input");
  return field !== null && field.type !== "checkbox" && field.type !== "radio" && !field.readOnly;
}

function after(choices: { id: string }[] | undefined, current: string): string {
  const ids = (choices ?? []).map((choice) => choice.id);
  return ids[(ids.indexOf(current) + 1) % Math.max(ids.length, 1)] ?? current;
}
