import { useSyncExternalStore } from "react";
import { NOTATIONS, type Notation } from "./colour";

const KEPT = "fenrain.notation";
const listeners = new Set<() => void>();

function listen(changed: () => void): () => void {
  listeners.add(changed);
  return () => listeners.delete(changed);
}

function current(): Notation {
  return NOTATIONS.find((notation) => notation === localStorage.getItem(KEPT)) ?? "linear";
}

/** The notation that colours are written in, one for all fields, and the same the next time. */
export function useNotation(): [Notation, (notation: Notation) => void] {
  const choose = (notation: Notation) => {
    localStorage.setItem(KEPT, notation);
    for (const changed of listeners) changed();
  };
  return [useSyncExternalStore(listen, current), choose];
}
