import type { Preset } from "../api/types";

/** Named surfaces to choose from; those that somebody kept are marked. */
export function presetOptions(presets: Preset[]): { value: string; label: string }[] {
  return presets.map(({ id, name, own }) => ({ value: id, label: own ? `${name} (own)` : name }));
}
