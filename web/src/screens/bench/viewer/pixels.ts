import { encode, type Rgb } from "../../../parts/colour";

/** What is known of every pixel of a pair: planes of half floats, as the server packs them; FLIP only where it was asked for. */
export interface Pixels {
  edge: number;
  planes: Float16Array;
}

export type Side = "original" | "converted";
const FIRST_PLANE: Record<Side, number> = { original: 0, converted: 3 };

/** Ways to measure a difference: the plane, the unit, and the scales that one may choose, the usual first. */
export const MEASURES = {
  ΔE2000: { plane: 6, unit: "ΔE2000", scales: [10, 2, 5, 20] },
  "ΔE2000, −4 EV": { plane: 7, unit: "ΔE2000, four stops darker", scales: [10, 2, 5, 20] },
  relative: { plane: 8, unit: "difference ÷ original, linear", scales: [0.5, 0.1, 0.2, 1] },
  FLIP: { plane: 11, unit: "FLIP", scales: [0.5, 0.1, 0.2, 1] },
} as const;
export type Measure = keyof typeof MEASURES;
const NOISE = 9;
const SEEN = 10;
const PLANES = 11;
const OF_A_PAIR = 6;

export const MARKS = ["clipped", "noise", "rim"] as const;
export type Mark = (typeof MARKS)[number];
/** What each mark shows, and its colour: none that is on the scale of differences. */
export const MARKED: Record<Mark, { says: string; colour: Rgb }> = {
  clipped: { says: "brighter than display white", colour: [255, 60, 190] },
  noise: { says: "noise alone differs by ΔE2000 of 2 or more", colour: [60, 225, 240] },
  rim: { says: "edge of the stand", colour: [250, 235, 60] },
};
const LOUD = 2;

/** The colours of the scale of differences, from none to the most, as the server's difference picture has them. */
export const STOPS: Rgb[] = [
  [18, 19, 22],
  [41, 56, 107],
  [107, 77, 140],
  [212, 115, 92],
  [250, 219, 140],
];

export function pixelsOf(data: ArrayBuffer): Pixels {
  const halves = new Float16Array(data);
  return { edge: Math.round(Math.sqrt(halves.length / PLANES)), planes: halves };
}

/** The pictures alone, as the server measures FLIP on them. */
export function pairIn({ edge, planes }: Pixels): Blob {
  return new Blob([planes.slice(0, OF_A_PAIR * edge * edge)]);
}

/** Our converted picture and another one (halves, red, green, blue and alpha, the lowest row first), black where the body is not seen. */
export function onBody({ edge, planes }: Pixels, other: Uint16Array): Blob {
  const count = edge * edge;
  const ours = new Uint16Array(planes.buffer, planes.byteOffset, planes.length);
  const pair = new Uint16Array(OF_A_PAIR * count);
  for (let at = 0; at < count; at++) {
    if ((planes[SEEN * count + at] ?? 0) < 1) continue;
    const row = edge - 1 - Math.floor(at / edge);
    const place = 4 * (row * edge + (at % edge));
    for (let channel = 0; channel < 3; channel++) {
      pair[channel * count + at] = ours[(FIRST_PLANE.converted + channel) * count + at] ?? 0;
      pair[(3 + channel) * count + at] = other[place + channel] ?? 0;
    }
  }
  return new Blob([pair]);
}

export function havingFlip({ edge, planes }: Pixels, flip: ArrayBuffer): Pixels {
  const all = new Float16Array((PLANES + 1) * edge * edge);
  all.set(planes);
  all.set(new Float16Array(flip), PLANES * edge * edge);
  return { edge, planes: all };
}

/** The measures that are there. */
export function measuresIn({ edge, planes }: Pixels): Measure[] {
  const count = planes.length / (edge * edge);
  return (Object.keys(MEASURES) as Measure[]).filter((measure) => MEASURES[measure].plane < count);
}

function value({ edge, planes }: Pixels, plane: number, at: number): number {
  return planes[plane * edge * edge + at] ?? 0;
}

function colourAt(pixels: Pixels, side: Side, at: number): Rgb {
  const first = FIRST_PLANE[side];
  return [value(pixels, first, at), value(pixels, first + 1, at), value(pixels, first + 2, at)];
}

/** A part of a picture, 0…1 both ways, whatever its size in pixels. */
export interface Region {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

export interface Sample {
  original: Rgb;
  converted: Rgb;
  measured: Partial<Record<Measure, number>>;
  pixels: number;
}

/** The pixels of a region, first and last both ways. */
export function pixelsIn({ edge }: Pixels, region: Region): Region {
  const pixel = (share: number) => Math.min(Math.max(Math.floor(share * edge), 0), edge - 1);
  return { left: pixel(region.left), top: pixel(region.top), right: pixel(region.right), bottom: pixel(region.bottom) };
}

/** The means over a region: of one pixel, what it holds. */
export function sampled(pixels: Pixels, region: Region): Sample {
  const { left, top, right, bottom } = pixelsIn(pixels, region);
  const planes = new Float64Array(PLANES + 1);
  const width = right - left + 1;
  const count = width * (bottom - top + 1);
  for (let place = 0; place < count; place += 1) {
    const at = (top + Math.floor(place / width)) * pixels.edge + left + (place % width);
    for (let plane = 0; plane < planes.length; plane += 1)
      planes[plane] = (planes[plane] ?? 0) + value(pixels, plane, at) / count;
  }
  const of = (plane: number) => planes[plane] ?? 0;
  return {
    original: [of(0), of(1), of(2)],
    converted: [of(3), of(4), of(5)],
    measured: Object.fromEntries(measuresIn(pixels).map((measure) => [measure, of(MEASURES[measure].plane)])),
    pixels: count,
  };
}

/** One side as a display shows it, so many stops brighter. */
export function paintSide(pixels: Pixels, side: Side, stops: number, marks: readonly Mark[]): ImageData {
  const gain = 2 ** stops;
  return painted(pixels, marks, (at) => {
    const shown = (part: number) => 255 * encode(Math.min(Math.max(part * gain, 0), 1));
    const [red, green, blue] = colourAt(pixels, side, at);
    return marks.includes("clipped") && Math.max(red, green, blue) * gain > 1
      ? MARKED.clipped.colour
      : [shown(red), shown(green), shown(blue)];
  });
}

/** The difference on its scale. */
export function paintDifference(pixels: Pixels, measure: Measure, most: number, marks: readonly Mark[]): ImageData {
  return painted(pixels, marks, (at) => {
    const along = Math.min(value(pixels, MEASURES[measure].plane, at) / most, 1) * (STOPS.length - 1);
    const lower = Math.min(Math.floor(along), STOPS.length - 2);
    const [before, after] = [STOPS[lower], STOPS[lower + 1]];
    const between = (channel: 0 | 1 | 2) =>
      (before?.[channel] ?? 0) + (along - lower) * ((after?.[channel] ?? 0) - (before?.[channel] ?? 0));
    return [between(0), between(1), between(2)];
  });
}

function painted(pixels: Pixels, marks: readonly Mark[], colour: (at: number) => Rgb): ImageData {
  const { edge } = pixels;
  const image = new ImageData(edge, edge);
  for (let at = 0; at < edge * edge; at += 1) {
    const noisy = marks.includes("noise") && value(pixels, NOISE, at) > LOUD && (at + Math.floor(at / edge)) % 2 === 0;
    const shown =
      marks.includes("rim") && isRim(pixels, at) ? MARKED.rim.colour : noisy ? MARKED.noise.colour : colour(at);
    image.data.set([...shown, 255], 4 * at);
  }
  return image;
}

/** Whether a pixel of the body has a neighbour that is none. */
function isRim(pixels: Pixels, at: number): boolean {
  const { edge } = pixels;
  if (value(pixels, SEEN, at) < 0.5) return false;
  return [at - 1, at + 1, at - edge, at + edge].some((beside) => value(pixels, SEEN, beside) < 0.5);
}
