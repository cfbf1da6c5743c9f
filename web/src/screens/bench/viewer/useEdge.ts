import { useLayoutEffect, useState, type RefObject } from "react";

const GAP = 8;
const SCALE = 44;
const LEAST = 180;

/**
 * Edge in pixels of pictures that stand side by side, as large as the window allows. below: height that is kept for what stands under them;
 * scale: whether the scale of differences stands beside them.
 */
export function useEdge(box: RefObject<HTMLElement | null>, panes: number, below: number, scale: boolean): number {
  const [edge, setEdge] = useState(300);
  useLayoutEffect(() => {
    const here = box.current;
    if (here === null) return undefined;
    const fit = () => {
      const wide = (here.clientWidth - GAP * (panes + 1) - (scale ? SCALE : 0)) / panes;
      const high = window.innerHeight - (here.getBoundingClientRect().top + document.documentElement.scrollTop) - below;
      setEdge(Math.max(Math.floor(Math.min(wide, high)), LEAST));
    };
    fit();
    const watch = new ResizeObserver(fit);
    watch.observe(here);
    window.addEventListener("resize", fit);
    return () => {
      watch.disconnect();
      window.removeEventListener("resize", fit);
    };
  }, [box, panes, below, scale]);
  return edge;
}
