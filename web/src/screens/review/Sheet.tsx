import type { ReactNode } from "react";
import { fileUrl } from "../../api/client";
import { PictureWell } from "../../parts/PictureWell";
import { NameAndState } from "./NameAndState";
import type { Reviewable } from "./queue";

/** All pairs at a glance; one opens what is behind it. */
export function Sheet({
  queue,
  open,
  more,
}: {
  queue: Reviewable[];
  open: (conversion: number) => void;
  more: ReactNode;
}) {
  return (
    <div className="contact-sheet fill scrolled">
      {queue.map((row) => {
        const check = row.checks.find(({ rig }) => rig === row.verdict?.rig) ?? row.checks[0];
        return (
          <button
            key={row.conversion_id}
            type="button"
            className="plain-button contact"
            onClick={() => open(row.conversion_id)}
          >
            <span className="contact-pair">
              {(["original", "converted"] as const).map((side) => (
                <PictureWell
                  key={side}
                  source={check && fileUrl(check.pictures[side])}
                  label={`${row.name}, ${side}`}
                  edge="50%"
                />
              ))}
            </span>
            <NameAndState row={row} />
          </button>
        );
      })}
      {more}
    </div>
  );
}
