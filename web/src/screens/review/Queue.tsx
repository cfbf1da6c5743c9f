import { useEffect, useRef, type ReactNode } from "react";
import { NameAndState } from "./NameAndState";
import type { Reviewable } from "./queue";

interface Props {
  queue: Reviewable[];
  current: number;
  choose: (conversion: number) => void;
  more: ReactNode;
}

/** Everything that can be reviewed, in the order in which it waits. */
export function Queue({ queue, current, choose, more }: Props) {
  const line = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    line.current?.scrollIntoView({ block: "nearest" });
  }, [current]);
  return (
    <nav aria-label="What waits" className="review-queue">
      {queue.map((row) => (
        <button
          key={row.conversion_id}
          ref={row.conversion_id === current ? line : undefined}
          type="button"
          className="kit-line"
          aria-pressed={row.conversion_id === current}
          onClick={() => choose(row.conversion_id)}
        >
          <NameAndState row={row} />
        </button>
      ))}
      {more}
    </nav>
  );
}
