import { createContext, use } from "react";
import type { Trial } from "./useLook";

/** Lets a field show in the pictures what it holds while it is being dragged or typed; undefined takes it back. */
export type TryValue = (name: string, value: Trial[string] | undefined) => void;

export const TrialContext = createContext<TryValue>(() => undefined);

export function useTryValue(): TryValue {
  return use(TrialContext);
}
