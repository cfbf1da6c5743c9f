/** Ways to write a colour. The stored value is always linear Rec.709. */
export type Rgb = [number, number, number];
export type Notation = "linear" | "sRGB" | "0–255" | "hex" | "HSV";
export const NOTATIONS: Notation[] = ["linear", "sRGB", "0–255", "hex", "HSV"];

/** A value from the server where it is a colour. */
export function rgbOf(value: unknown): Rgb | undefined {
  return Array.isArray(value) && value.length === 3 ? (value as Rgb) : undefined;
}

/** IEC 61966-2-1. */
export function encode(linear: number): number {
  return linear <= 0.0031308 ? 12.92 * linear : 1.055 * linear ** (1 / 2.4) - 0.055;
}

export function decode(encoded: number): number {
  return encoded <= 0.04045 ? encoded / 12.92 : ((encoded + 0.055) / 1.055) ** 2.4;
}

function map(colour: Rgb, change: (part: number) => number): Rgb {
  return [change(colour[0]), change(colour[1]), change(colour[2])];
}

export function hexOf(linear: Rgb): string {
  const parts = map(linear, (part) => Math.round(255 * encode(Math.min(Math.max(part, 0), 1))));
  return `#${parts.map((part) => part.toString(16).padStart(2, "0")).join("")}`;
}

/** Spell a colour in a notation. */
export function spell(linear: Rgb, notation: Notation): string {
  const digits = (part: number) => String(Number(part.toFixed(4)));
  if (notation === "hex") return hexOf(linear);
  if (notation === "linear") return map(linear, Number).map(digits).join(", ");
  const encoded = map(linear, encode);
  if (notation === "sRGB") return encoded.map(digits).join(", ");
  if (notation === "0–255") return encoded.map((part) => String(Math.round(part * 255))).join(", ");
  return hsvOf(encoded).map(digits).join(", ");
}

/** Read what was typed in a notation; undefined where it is none. */
export function parse(text: string, notation: Notation): Rgb | undefined {
  const hex = /^#?([0-9a-f]{6})$/i.exec(text.trim());
  if (hex?.[1] !== undefined) {
    const packed = parseInt(hex[1], 16);
    return map([(packed >> 16) & 255, (packed >> 8) & 255, packed & 255], (part) => decode(part / 255));
  }
  const parts = text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
  if (parts.length === 1 && parts[0] !== undefined) parts.push(parts[0], parts[0]);
  const [a, b, c] = parts;
  if (
    notation === "hex" ||
    parts.length !== 3 ||
    a === undefined ||
    b === undefined ||
    c === undefined ||
    parts.some((part) => !Number.isFinite(part))
  )
    return undefined;
  if (notation === "linear") return [a, b, c];
  if (notation === "0–255") return map([a, b, c], (part) => decode(part / 255));
  return map(notation === "HSV" ? rgbOfHsv([a, b, c]) : [a, b, c], decode);
}

function hsvOf([r, g, b]: Rgb): Rgb {
  const most = Math.max(r, g, b);
  const range = most - Math.min(r, g, b);
  if (range === 0) return [0, 0, most];
  const hue = most === r ? ((g - b) / range + 6) % 6 : most === g ? (b - r) / range + 2 : (r - g) / range + 4;
  return [hue * 60, range / most, most];
}

function rgbOfHsv([hue, saturation, value]: Rgb): Rgb {
  const part = (n: number) => {
    const k = (n + hue / 60) % 6;
    return value - value * saturation * Math.max(0, Math.min(k, 4 - k, 1));
  };
  return [part(5), part(3), part(1)];
}
