import { useEffect, useRef, type CSSProperties } from "react";
import type { Zoom } from "./useZoom";

interface Props {
  source: string | undefined;
  label: string;
  zoom: Zoom;
  dimmed: boolean;
  /** What is painted in place of the picture: undefined for the picture as it came. */
  paint: (() => ImageData) | undefined;
  /** Share of the picture that is shown, from the left; all where undefined. */
  upTo?: number;
}

/** One picture in neutral grey, magnified as its neighbours are; a magnified pixel stays a square. */
export function Pane({ source, label, zoom, dimmed, paint, upTo }: Props) {
  const { times, left, top } = zoom;
  const style: CSSProperties = {
    transform: `scale(${times}) translate(${-100 * left}%, ${-100 * top}%)`,
    imageRendering: times >= 3 ? "pixelated" : "auto",
  };
  const clip = upTo === undefined ? {} : { clipPath: `inset(0 ${100 * (1 - upTo)}% 0 0)` };
  return (
    <div className="pane" style={clip}>
      {source === undefined ? (
        <div role="img" aria-label={`${label}: not made yet`} className="well" />
      ) : (
        <img src={source} alt={label} className="well" style={style} data-dimmed={dimmed} draggable={false} />
      )}
      {paint !== undefined && source !== undefined && <Painted paint={paint} style={style} dimmed={dimmed} />}
    </div>
  );
}

function Painted({ paint, style, dimmed }: { paint: () => ImageData; style: CSSProperties; dimmed: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current;
    if (element === null) return;
    const image = paint();
    element.width = image.width;
    element.height = image.height;
    element.getContext("2d")?.putImageData(image, 0, 0);
  }, [paint]);
  return <canvas ref={canvas} aria-hidden className="well over" style={style} data-dimmed={dimmed} />;
}
