import { useCallback, useMemo, useState } from "react";

/** How pictures are magnified, all in step: how many times, and which share of their edge lies at the left and at the top. */
export interface Zoom {
  times: number;
  left: number;
  top: number;
}

const WHOLE: Zoom = { times: 1, left: 0, top: 0 };
const MOST = 32;

export interface ZoomActs {
  /** Magnify about a place of the picture, 0…1 both ways. */
  about: (factor: number, x?: number, y?: number) => void;
  /** Move by shares of the edge as it is shown. */
  pan: (x: number, y: number) => void;
  whole: () => void;
  zoomed: boolean;
}

export function useZoom(): [Zoom, ZoomActs] {
  const [zoom, setZoom] = useState(WHOLE);
  const about = useCallback(
    (factor: number, x = 0.5, y = 0.5) =>
      setZoom((before) => {
        const times = Math.min(Math.max(before.times * factor, 1), MOST);
        // The place under the pointer stays where it is.
        return within({
          times,
          left: before.left + x / before.times - x / times,
          top: before.top + y / before.times - y / times,
        });
      }),
    [],
  );
  const pan = useCallback(
    (x: number, y: number) =>
      setZoom((before) =>
        within({ ...before, left: before.left - x / before.times, top: before.top - y / before.times }),
      ),
    [],
  );
  const whole = useCallback(() => setZoom(WHOLE), []);
  const zoomed = zoom.times > 1;
  const acts = useMemo(() => ({ about, pan, whole, zoomed }), [about, pan, whole, zoomed]);
  return [zoom, acts];
}

function within({ times, left, top }: Zoom): Zoom {
  const most = 1 - 1 / times;
  const kept = (share: number) => Math.min(Math.max(share, 0), most);
  return { times, left: kept(left), top: kept(top) };
}

/** The place of the picture that lies at a place of its frame, both 0…1. */
export function placeIn({ times, left, top }: Zoom, x: number, y: number): [number, number] {
  return [left + x / times, top + y / times];
}
