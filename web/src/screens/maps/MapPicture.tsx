import { useEffect, useRef, useState, type PointerEvent } from "react";
import type { MapView } from "../../api/types";
import { decode } from "../../parts/colour";
import { short } from "../../parts/words";
import { Histogram } from "./Histogram";

export const CHANNELS = ["all", "red", "green", "blue"] as const;
export type Channel = (typeof CHANNELS)[number];
/** A place on a map, as shares of its width and height from the upper left. */
export type Place = readonly [number, number];

interface Props {
  title: string;
  notes: readonly string[];
  label: string;
  map: MapView | undefined;
  failure: Error | null;
  channel: Channel;
  place: Place | undefined;
  setPlace: (place: Place | undefined) => void;
}

/** A map in a grey well, one of its channels or all, with its value at a place, its histogram and its figures. */
export function MapPicture({ title, notes, label, map, failure, channel, place, setPlace }: Props) {
  return (
    <figure className="map-figure">
      <figcaption>
        <strong>{title}</strong>
        {notes.map((note) => (
          <span key={note} className="block faded smaller numbers">
            {note}
          </span>
        ))}
      </figcaption>
      {map === undefined ? (
        <div role="img" aria-label={`${label}: not there`} className="well map-well">
          {failure !== null && <span className="map-refused">{failure.message}</span>}
        </div>
      ) : (
        <Drawn map={map} label={label} channel={channel} place={place} setPlace={setPlace} />
      )}
    </figure>
  );
}

interface DrawnProps {
  map: MapView;
  label: string;
  channel: Channel;
  place: Place | undefined;
  setPlace: (place: Place | undefined) => void;
}

function Drawn({ map, label, channel, place, setPlace }: DrawnProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const pixels = usePixels(map.picture);
  useEffect(() => {
    const element = canvas.current;
    if (element === null || pixels === undefined) return;
    element.width = pixels.width;
    element.height = pixels.height;
    element.getContext("2d")?.putImageData(alone(pixels, channel), 0, 0);
  }, [pixels, channel]);
  return (
    <>
      <canvas
        ref={canvas}
        role="img"
        aria-label={label}
        className="well map-well"
        onPointerMove={(event) => setPlace(pixels === undefined ? undefined : placeUnder(event, pixels))}
        onPointerLeave={() => setPlace(undefined)}
      />
      <output className="numbers smaller map-value" aria-label={`${label}, value`}>
        {place === undefined || pixels === undefined ? " " : valueAt(map, pixels, place)}
      </output>
      <Histogram
        label={`${label}, histogram`}
        bins={map.bins}
        shown={channel === "all" ? undefined : CHANNELS.indexOf(channel) - 1}
      />
      <div className="numbers smaller faded">
        least {spelled(map.least)} · mean {spelled(map.mean)} · most {spelled(map.largest)}
      </div>
    </>
  );
}

/** Where on a picture the pointer is; the picture lies whole in the middle of its well. */
function placeUnder(event: PointerEvent<HTMLElement>, { width, height }: ImageData): Place | undefined {
  const box = event.currentTarget.getBoundingClientRect();
  const scale = Math.min(box.width / width, box.height / height);
  const across = (event.clientX - box.left - (box.width - width * scale) / 2) / (width * scale);
  const down = (event.clientY - box.top - (box.height - height * scale) / 2) / (height * scale);
  return across >= 0 && across < 1 && down >= 0 && down < 1 ? [across, down] : undefined;
}

/** The pixels of a picture, once it is loaded. */
function usePixels(address: string): ImageData | undefined {
  const [found, setFound] = useState<ImageData>();
  useEffect(() => {
    let wanted = true;
    const image = new Image();
    image.onload = () => {
      const made = document.createElement("canvas");
      made.width = image.width;
      made.height = image.height;
      const context = made.getContext("2d");
      if (context === null || !wanted) return;
      context.drawImage(image, 0, 0);
      setFound(context.getImageData(0, 0, image.width, image.height));
    };
    image.src = address;
    return () => {
      wanted = false;
    };
  }, [address]);
  return found;
}

/** One channel as grey, or the picture as it is. */
function alone(pixels: ImageData, channel: Channel): ImageData {
  if (channel === "all") return pixels;
  const at = CHANNELS.indexOf(channel) - 1;
  const made = new ImageData(new Uint8ClampedArray(pixels.data), pixels.width, pixels.height);
  for (let index = 0; index < made.data.length; index += 4) {
    made.data.fill(pixels.data[index + at] ?? 0, index, index + 3);
  }
  return made;
}

/** The linear value of the texel that lies there, by the 8 bits of the picture. */
function valueAt(map: MapView, pixels: ImageData, [across, down]: Place): string {
  const column = Math.min(Math.floor(across * pixels.width), pixels.width - 1);
  const row = Math.min(Math.floor(down * pixels.height), pixels.height - 1);
  const start = 4 * (Math.max(row, 0) * pixels.width + Math.max(column, 0));
  const shown = [...pixels.data.slice(start, start + 3)].map((part) => part / 255);
  const count = map.mean.length;
  if (map.kind === "normal") return `normal ${shown.map((part) => short(2 * part - 1)).join(", ")}`;
  if (map.kind !== "colour") return spelled(shown.slice(0, count).map((part) => part * map.most));
  return `linear ${spelled(shown.map((part) => decode(part) * map.most))} · sRGB ${shown.map((part) => Math.round(255 * part)).join(", ")}`;
}

function spelled(values: readonly number[]): string {
  return values.map((value) => String(Number(value.toPrecision(3)))).join(", ");
}
