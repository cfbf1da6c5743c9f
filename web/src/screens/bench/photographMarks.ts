import { useState } from "react";

export type Place = [number, number];
/** Two opposite corners, in shares of a photograph's width and height. */
export type Area = [Place, Place];

/** What was drawn on a photograph: it lasts while the tab does, for all materials that are laid beside it. */
export interface Marks {
  grey?: Area;
  reflectance: number;
  corners: Place[];
  crop?: Area | undefined;
}

const USUAL_GREY = 0.18;

export function usePhotographMarks(photograph: string): [Marks, (part: Partial<Marks>) => void] {
  const key = `fenrain.photograph.${photograph}`;
  const [marks, setMarks] = useState<Marks>(() => {
    const kept = sessionStorage.getItem(key);
    return kept === null ? { reflectance: USUAL_GREY, corners: [] } : (JSON.parse(kept) as Marks);
  });
  const change = (part: Partial<Marks>) => {
    const next = { ...marks, ...part };
    sessionStorage.setItem(key, JSON.stringify(next));
    setMarks(next);
  };
  return [marks, change];
}

/** The square about the middle of what was drawn, as large as that, within the photograph. proportion: its width over its height. */
export function squareAbout([first, last]: Area, proportion: number): Area {
  const wide = Math.max(Math.abs(last[0] - first[0]), Math.abs(last[1] - first[1]) / proportion);
  const width = Math.min(wide, 1, 1 / proportion);
  const size = [width, width * proportion] as const;
  const start = ([0, 1] as const).map((axis) => {
    const middle = (first[axis] + last[axis]) / 2;
    return Math.min(Math.max(middle - size[axis] / 2, 0), 1 - size[axis]);
  }) as Place;
  return [start, [start[0] + size[0], start[1] + size[1]]];
}
