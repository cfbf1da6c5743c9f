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
    ? "Quick picture: the renderer is being prepared for such materials, once on this machine…"
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
