import { useState } from "react";

export const SHOWN_AS = ["pair", "divider", "blink", "difference"] as const;
export type ShownAs = (typeof SHOWN_AS)[number];

export interface BenchView {
  rig: string;
  stand: string;
  turn: number;
  shownAs: ShownAs;
}

const KEPT = "fenrain.bench";
const FIRST: BenchView = { rig: "soft_studio", stand: "sphere", turn: 0, shownAs: "pair" };

/** Rig, stand, turn and kind of comparison; kept from one material to the next. */
export function useBenchView(): [BenchView, (change: Partial<BenchView>) => void] {
  const [view, setView] = useState<BenchView>(() => ({
    ...FIRST,
    ...(JSON.parse(sessionStorage.getItem(KEPT) ?? "{}") as Partial<BenchView>),
  }));
  const change = (part: Partial<BenchView>) => {
    const next = { ...view, ...part };
    sessionStorage.setItem(KEPT, JSON.stringify(next));
    setView(next);
  };
  return [view, change];
}
