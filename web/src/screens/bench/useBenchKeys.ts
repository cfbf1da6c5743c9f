import { useEffect } from "react";
import { useRigs, useStands } from "../../api/queries";
import type { BenchView } from "./useBenchView";

interface Actions {
  view: BenchView;
  setView: (change: Partial<BenchView>) => void;
  previous: (() => void) | undefined;
  next: (() => void) | undefined;
  help: () => void;
}

/** Plain letters, only while nothing is being typed and no modifier is held, so that the browser keeps its own. */
export function useBenchKeys({ view, setView, previous, next, help }: Actions) {
  const rigs = useRigs().data;
  const stands = useStands().data;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (
        event.ctrlKey ||
        event.metaKey ||
        event.altKey ||
        target.closest("input, textarea, [role=combobox], [role=dialog]") !== null
      )
        return;
      const actions: Record<string, (() => void) | undefined> = {
        j: next,
        k: previous,
        "?": help,
        r: () => setView({ rig: after(rigs, view.rig) }),
        s: () => setView({ stand: after(stands, view.stand) }),
        t: () => setView({ turn: (view.turn + 90) % 360 }),
        p: () => setView({ shownAs: "pair" }),
        v: () => setView({ shownAs: "divider" }),
        b: () => setView({ shownAs: "blink" }),
        x: () => setView({ shownAs: "difference" }),
      };
      actions[event.key]?.();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [view, setView, previous, next, help, rigs, stands]);
}

function after(choices: { id: string }[] | undefined, current: string): string {
  const ids = (choices ?? []).map((choice) => choice.id);
  return ids[(ids.indexOf(current) + 1) % Math.max(ids.length, 1)] ?? current;
}
