import { useEffect } from "react";
import { isTypedInto } from "../bench/useBenchKeys";

interface Acts {
  accept: () => void;
  sendBack: () => void;
  next: () => void;
  previous: () => void;
}

/** Plain letters, only while nothing is being typed and no modifier is held. */
export function useReviewKeys({ accept, sendBack, next, previous }: Acts) {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTypedInto(event.target as HTMLElement)) return;
      const act = { a: accept, n: sendBack, j: next, k: previous }[event.key];
      if (act === undefined) return;
      event.preventDefault();
      act();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}
