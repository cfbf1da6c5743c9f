import type { Look } from "./useLook";

/** What is being drawn, or why nothing is. */
export function Progress({ look }: { look: Look }) {
  if (look.failure !== undefined)
    return (
      <span role="status" className="small">
        {look.failure}
      </span>
    );
  const drawn = look.preparing
    ? "Quick picture: the first rendered one takes longer, most of all where such materials are new to this machine…"
    : look.stale
      ? "being drawn…"
      : look.refining
        ? `${look.samples} samples, refining…`
        : "";
  return (
    <span role="status" className="faded small numbers">
      {drawn}
    </span>
  );
}
