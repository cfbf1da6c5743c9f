import { useEffect } from "react";
import { useRigs, useStands } from "../../api/surroundings";
import type { SetView } from "./useBenchView";
import type { Mark } from "./viewer/pixels";
import type { ZoomActs } from "./viewer/useZoom";

/** How far an arrow key moves what is magnified, as a share of the edge. */
const STEP = 0.1;

interface Actions {
  project: number;
  setView: SetView;
  acts: ZoomActs;
  full: boolean;
  setFull: (full: boolean) => void;
  previous: (() => void) | undefined;
  next: (() => void) | undefined;
  help: () => void;
}

/** Plain letters, only while nothing is being typed and no modifier is held, so that the browser keeps its own. */
export function useBenchKeys({ project, setView, acts, full, setFull, previous, next, help }: Actions) {
  const rigs = useRigs(project).data;
  const stands = useStands(project).data;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || isTypedInto(target)) return;
      // A slider, a row of choices and a list are moved by them.
      const moved = "[role=slider], [role=radiogroup], [role=combobox]";
      if (event.key.startsWith("Arrow") && target.closest(moved) !== null) return;
      const marked = (mark: Mark) => () =>
        setView(({ marks }) => ({
          marks: marks.includes(mark) ? marks.filter((other) => other !== mark) : [...marks, mark],
        }));
      const actions: Record<string, (() => void) | undefined> = {
        j: next,
        k: previous,
        "?": help,
        r: () => setView(({ rig }) => ({ rig: after(rigs, rig) })),
        s: () => setView(({ stand }) => ({ stand: after(stands, stand) })),
        t: () => setView(({ turn }) => ({ turn: (turn + 90) % 360 })),
        p: () => setView({ shownAs: "pair" }),
        o: () => setView({ shownAs: "all three" }),
        v: () => setView({ shownAs: "divider" }),
        b: () => setView({ shownAs: "blink" }),
        x: () => setView({ shownAs: "difference" }),
        e: () => setView(({ stops }) => ({ stops: stops + 0.5 })),
        E: () => setView(({ stops }) => ({ stops: stops - 0.5 })),
        c: marked("clipped"),
        n: marked("noise"),
        l: marked("rim"),
        f: () => setFull(!full),
        Escape: full ? () => setFull(false) : undefined,
        "+": () => acts.about(2),
        "-": () => acts.about(0.5),
        "0": acts.whole,
        ArrowLeft: acts.zoomed ? () => acts.pan(STEP, 0) : undefined,
        ArrowRight: acts.zoomed ? () => acts.pan(-STEP, 0) : undefined,
        ArrowUp: acts.zoomed ? () => acts.pan(0, STEP) : undefined,
        ArrowDown: acts.zoomed ? () => acts.pan(0, -STEP) : undefined,
      };
      const act = actions[event.key];
      if (act === undefined) return;
      if (event.key.startsWith("Arrow")) event.preventDefault();
      event.stopPropagation();
      act();
    };
    // Before what has the focus: a list that was closed would open at any letter.
    window.addEventListener("keydown", onKey, { capture: true });
    return () => window.removeEventListener("keydown", onKey, { capture: true });
  }, [setView, acts, full, setFull, previous, next, help, rigs, stands]);
}

/** Whether keys belong to what has the focus: a field, a list that is open, a dialog. */
export function isTypedInto(target: HTMLElement): boolean {
  if (target.closest("[role=dialog], textarea, [aria-expanded=true]") !== null) return true;
  const field = target.closest<HTMLInputElement>("input");
  return field !== null && field.type !== "checkbox" && field.type !== "radio" && !field.readOnly;
}

/** The next of some choices; of what follows a colon in an id, nothing is kept. */
function after(choices: { id: string }[] | undefined, shown: string): string {
  const current = shown.split(":")[0] ?? "";
  const ids = (choices ?? []).map((choice) => choice.id);
  return ids[(ids.indexOf(current) + 1) % Math.max(ids.length, 1)] ?? current;
}
