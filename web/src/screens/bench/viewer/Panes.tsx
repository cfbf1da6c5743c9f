import { useEffect, useMemo, useRef, useState, type PointerEvent, type ReactNode } from "react";
import type { BenchView, SetView } from "../useBenchView";
import type { Look } from "../useLook";
import { DifferenceScale } from "./DifferenceScale";
import { Pane } from "./Pane";
import { MEASURES, measuresIn, paintDifference, paintSide, type Pixels, type Region, type Side } from "./pixels";
import { placeIn, type Zoom, type ZoomActs } from "./useZoom";

const BLINK = 700;
const STEP = 1.25;
const LEAST_DRAG = 3;
/** Degrees by which the light turns when a picture is dragged over its whole width. */
const TURN_ACROSS = 180;

export interface Pointed {
  region: Region;
  /** Whether the region was drawn and stays, or is the pixel under the pointer. */
  held: boolean;
}

interface Props {
  view: BenchView;
  setView: SetView;
  look: Look;
  name: string;
  pixels: Pixels | undefined;
  edge: number;
  zoom: Zoom;
  acts: ZoomActs;
  pointed: Pointed | undefined;
  point: (pointed: Pointed | undefined) => void;
}

type Shown = Side | "difference";
const PANES: Record<BenchView["shownAs"], readonly Shown[]> = {
  pair: ["original", "converted"],
  "all three": ["original", "converted", "difference"],
  divider: ["converted"],
  blink: ["converted"],
  difference: ["difference"],
};

export function panesOf(view: BenchView): readonly Shown[] {
  return PANES[view.shownAs];
}

/**
 * The pictures side by side or over one another. Ctrl and the wheel magnify; dragging turns the light, or moves what is magnified, where Alt
 * turns the light all the same; dragging with Shift draws a region.
 */
export function Panes(props: Props) {
  const { view, look, name, edge, pixels } = props;
  const [divider, setDivider] = useState(0.5);
  const blinked = useBlink(view.shownAs === "blink");
  const painters = usePainters(props);
  const picture = (which: Shown, upTo?: number) => (
    <Pane
      source={isThere(which, view, pixels) ? look.pictures?.[which] : undefined}
      label={`${name}, ${which}`}
      zoom={props.zoom}
      dimmed={which === "original" ? look.originalStale : look.stale}
      paint={painters[which]}
      {...(upTo === undefined ? {} : { upTo })}
    />
  );
  const shown = panesOf(view);
  return (
    <div className="panes">
      {shown.map((which) => (
        <figure key={which} className="captioned" style={{ width: edge }}>
          <Handled {...props} {...(view.shownAs === "divider" ? { divider, setDivider } : {})}>
            {picture(which)}
            {view.shownAs === "divider" && picture("original", divider)}
            {view.shownAs === "divider" && <span className="edge" style={{ left: `${100 * divider}%` }} />}
            {view.shownAs === "blink" && blinked && picture("original")}
          </Handled>
          <figcaption>{captionOf(view, which, blinked)}</figcaption>
        </figure>
      ))}
      {shown.includes("difference") && <DifferenceScale view={view} />}
    </div>
  );
}

/** FLIP is measured when it is asked for; until then there is no picture of it. */
function isThere(which: Shown, { measure }: BenchView, pixels: Pixels | undefined): boolean {
  return which !== "difference" || measure !== "FLIP" || (pixels !== undefined && measuresIn(pixels).includes(measure));
}

function captionOf(view: BenchView, which: Shown, blinked: boolean): string {
  const [first, second] =
    view.against === undefined ? ["original", "converted"] : ["the other variant", "this variant"];
  if (view.shownAs === "divider") return `${first} left, ${second} right`;
  if (view.shownAs === "blink") return blinked ? first : second;
  return { original: first, converted: second, difference: "difference" }[which];
}

function useBlink(on: boolean): boolean {
  const [first, setFirst] = useState(true);
  useEffect(() => {
    if (!on) return undefined;
    const timer = setInterval(() => setFirst((shown) => !shown), BLINK);
    return () => clearInterval(timer);
  }, [on]);
  return first;
}

/** What is painted in place of each picture: nothing while it is shown as the server drew it. */
function usePainters({ view, pixels }: Props): Partial<Record<Shown, () => ImageData>> {
  const { stops, measure, most, marks } = view;
  return useMemo(() => {
    if (pixels === undefined) return {};
    const asDrawn = measure === "ΔE2000" && most === MEASURES[measure].scales[0];
    const difference = () => paintDifference(pixels, measure, most, marks);
    const sides = {
      original: () => paintSide(pixels, "original", stops, marks),
      converted: () => paintSide(pixels, "converted", stops, marks),
    };
    return {
      ...(stops !== 0 || marks.length > 0 ? sides : {}),
      ...(asDrawn && marks.length === 0 ? {} : { difference }),
    };
  }, [pixels, stops, measure, most, marks]);
}

type Drag = "turn" | "pan" | "region" | "divide";

interface HandledProps extends Props {
  divider?: number;
  setDivider?: (at: number) => void;
  children: ReactNode;
}

/** What a pointer does on a picture. */
function Handled({ setView, zoom, acts, pointed, point, divider, setDivider, children }: HandledProps) {
  const box = useRef<HTMLDivElement>(null);
  const drag = useRef<{ x: number; y: number; kind: Drag; moved: boolean }>(undefined);
  const place = (event: { clientX: number; clientY: number }): [number, number] => {
    const { left, top, width, height } = box.current?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1);
    return [(event.clientX - left) / width, (event.clientY - top) / height];
  };
  useWheel(box, (event) => {
    if (!event.ctrlKey && !event.metaKey && zoom.times === 1) return;
    event.preventDefault();
    acts.about(event.deltaY < 0 ? STEP : 1 / STEP, ...place(event));
  });
  const placeAt = (x: number, y: number) => placeIn(zoom, Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, 0), 1));
  const down = (event: PointerEvent) => {
    if (event.button !== 0) return;
    box.current?.setPointerCapture(event.pointerId);
    const [x, y] = place(event);
    const nearDivider = divider !== undefined && (zoom.times === 1 || Math.abs(x - divider) < 0.04);
    const plain = nearDivider ? "divide" : zoom.times > 1 ? "pan" : "turn";
    const kind = event.shiftKey ? "region" : event.altKey ? "turn" : plain;
    drag.current = { x, y, kind, moved: false };
    if (kind === "divide") setDivider?.(x);
  };
  const move = (event: PointerEvent) => {
    const [x, y] = place(event);
    const held = drag.current;
    if (held === undefined) {
      const at = placeAt(x, y);
      if (pointed?.held !== true) point({ region: between(at, at), held: false });
      return;
    }
    const width = box.current?.clientWidth ?? 1;
    held.moved ||= Math.hypot(x - held.x, y - held.y) * width > LEAST_DRAG;
    if (held.kind === "divide") setDivider?.(Math.min(Math.max(x, 0), 1));
    else if (held.kind === "pan") {
      acts.pan(x - held.x, y - held.y);
      drag.current = { ...held, x, y };
    } else if (held.kind === "turn") {
      const degrees = Math.round(TURN_ACROSS * (x - held.x));
      if (!held.moved || degrees === 0) return;
      setView(({ turn }) => ({ turn: (turn + degrees + 360) % 360 }));
      drag.current = { ...held, x: held.x + degrees / TURN_ACROSS };
    } else {
      point({ region: between(placeAt(held.x, held.y), placeAt(x, y)), held: true });
    }
  };
  const up = () => {
    if (drag.current?.moved === false && drag.current.kind !== "divide" && pointed?.held === true) point(undefined);
    drag.current = undefined;
  };
  return (
    <div
      ref={box}
      className="handled"
      data-zoomed={zoom.times > 1}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerLeave={() => pointed?.held !== true && point(undefined)}
      onDoubleClick={() => (zoom.times > 1 ? acts.whole() : acts.about(4))}
    >
      {children}
      {pointed?.held === true && <Frame region={pointed.region} zoom={zoom} />}
    </div>
  );
}

function between([a, b]: [number, number], [c, d]: [number, number]): Region {
  return { left: Math.min(a, c), top: Math.min(b, d), right: Math.max(a, c), bottom: Math.max(b, d) };
}

/** Where a region lies. */
function Frame({ region, zoom }: { region: Region; zoom: Zoom }) {
  const share = (at: number, from: number) => `${100 * (at - from) * zoom.times}%`;
  return (
    <span
      className="region"
      style={{
        left: share(region.left, zoom.left),
        top: share(region.top, zoom.top),
        width: share(region.right - region.left, 0),
        height: share(region.bottom - region.top, 0),
      }}
    />
  );
}

/** The wheel on an element; React's own listener could not keep the page from scrolling. */
function useWheel(element: { current: HTMLElement | null }, act: (event: WheelEvent) => void) {
  const latest = useRef(act);
  useEffect(() => {
    latest.current = act;
  });
  useEffect(() => {
    const here = element.current;
    const listen = (event: WheelEvent) => latest.current(event);
    here?.addEventListener("wheel", listen, { passive: false });
    return () => here?.removeEventListener("wheel", listen);
  }, [element]);
}
