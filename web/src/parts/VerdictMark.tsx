import type { Verdict } from "../api/types";

export const VERDICTS: Verdict[] = ["off", "undecided", "near", "match"];

const SHAPES: Record<Verdict, { path: string; fill: boolean; dashed: boolean }> = {
  match: { path: "M7 1.2 A5.8 5.8 0 1 1 6.99 1.2 Z", fill: true, dashed: false },
  near: { path: "M7 0.8 L13.2 7 L7 13.2 L0.8 7 Z", fill: false, dashed: false },
  undecided: { path: "M7 1.2 A5.8 5.8 0 1 1 6.99 1.2 Z", fill: false, dashed: true },
  off: { path: "M1.5 12.5 L1.5 1.5 L12.5 1.5 L12.5 12.5 Z M1.5 1.5 L12.5 12.5", fill: false, dashed: false },
};

interface Props {
  verdict: Verdict;
  label?: boolean;
  title?: string | undefined;
}

/** A verdict as a shape and a word: a full disc, an open diamond, a broken ring, a struck square. */
export function VerdictMark({ verdict, label = true, title }: Props) {
  const { path, fill, dashed } = SHAPES[verdict];
  return (
    <span title={title} className="verdict">
      <svg width="14" height="14" viewBox="0 0 14 14" role="img" aria-label={verdict}>
        <path
          d={path}
          fill={fill ? "currentColor" : "none"}
          stroke="currentColor"
          strokeWidth="1.7"
          {...(dashed ? { strokeDasharray: "3.2 2.87" } : {})}
        />
      </svg>
      {label && <span className={verdict === "off" ? "verdict-off" : "plain"}>{verdict}</span>}
    </span>
  );
}
