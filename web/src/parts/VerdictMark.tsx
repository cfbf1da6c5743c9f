import type { Schemas } from "../api/client";

type Verdict = Schemas["CheckNumbers"]["verdict"];

const SHAPES: Record<Verdict, { path: string; fill: boolean }> = {
  match: { path: "M7 1.2 A5.8 5.8 0 1 1 6.99 1.2 Z", fill: true },
  near: { path: "M7 0.8 L13.2 7 L7 13.2 L0.8 7 Z", fill: false },
  off: { path: "M1.5 12.5 L1.5 1.5 L12.5 1.5 L12.5 12.5 Z M1.5 1.5 L12.5 12.5", fill: false },
};

/** A verdict as a shape and a word: a full disc, an open diamond, a struck square. */
export function VerdictMark({ verdict, label = true, title }: { verdict: Verdict; label?: boolean; title?: string }) {
  const { path, fill } = SHAPES[verdict];
  return (
    <span title={title} style={{ display: "inline-flex", alignItems: "center", gap: 6, whiteSpace: "nowrap" }}>
      <svg width="14" height="14" viewBox="0 0 14 14" role="img" aria-label={verdict}>
        <path d={path} fill={fill ? "currentColor" : "none"} stroke="currentColor" strokeWidth="1.7" />
      </svg>
      {label && <span style={{ fontWeight: verdict === "off" ? 650 : 450 }}>{verdict}</span>}
    </span>
  );
}
