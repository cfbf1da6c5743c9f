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

/** What was typed: a colour, or why it is none, in the words of what was typed. */
export type Read = { colour: Rgb; wrong?: undefined } | { colour?: undefined; wrong: string };

/** Limits of a notation's numbers: those of linear light are the value's own. */
const HIGHEST: Record<Notation, Rgb> = {
  linear: [Infinity, Infinity, Infinity],
  sRGB: [Infinity, Infinity, Infinity],
  "0–255": [255, 255, 255],
  hex: [255, 255, 255],
  HSV: [360, 1, 1],
};

/**
 * Read what was typed: hex of three or six digits and rgb(…) whatever the notation, else numbers of the notation, percentages among them; one
 * number is a grey. high: the most that a linear value may be.
 */
export function read(text: string, notation: Notation, high = Infinity): Read {
  const plain = text.trim();
  if (plain.startsWith("#") || notation === "hex") return readHex(plain);
  const called = /^rgba?\((.*)\)$/i.exec(plain);
  if (called?.[1] !== undefined) return readNumbers(called[1], "0–255", Infinity);
  return readNumbers(plain, notation, high);
}

function readHex(text: string): Read {
  const digits = text.replace(/^#/, "");
  if (!/^([0-9a-f]{3}|[0-9a-f]{6})$/i.test(digits))
    return { wrong: `${text || "#"} is no hex: # with three or six digits` };
  const whole = digits.length === 3 ? digits.replace(/./g, "$&$&") : digits;
  const packed = parseInt(whole, 16);
  return { colour: map([(packed >> 16) & 255, (packed >> 8) & 255, packed & 255], (part) => decode(part / 255)) };
}

function readNumbers(text: string, notation: Notation, high: number): Read {
  const words = text.split(/[\s,;/]+/).filter(Boolean);
  const [top] = HIGHEST[notation];
  const parts = words.map((word) =>
    word.endsWith("%") ? Number(word.slice(0, -1)) * 0.01 * shareOf(top) : Number(word),
  );
  const odd = words.find((_, index) => !Number.isFinite(parts[index]));
  if (odd !== undefined) return { wrong: `${odd} is no number` };
  if (parts.length === 1 && notation !== "HSV") parts.push(parts[0] ?? 0, parts[0] ?? 0);
  const [a, b, c] = parts;
  if (parts.length !== 3 || a === undefined || b === undefined || c === undefined)
    return { wrong: `${words.length} of three numbers` };
  const colour: Rgb = [a, b, c];
  const beyond = colour.find((part, index) => part < 0 || part > (HIGHEST[notation][index] ?? Infinity));
  if (beyond !== undefined) return { wrong: outside(beyond, notation) };
  const linear = linearOf(colour, notation);
  const brightest = Math.max(...linear);
  if (brightest > high + 1e-6) return { wrong: `above ${spell([high, high, high], notation).split(", ")[0] ?? high}` };
  return { colour: linear };
}

/** What a whole is in a notation: percentages are of it. */
function shareOf(top: number): number {
  return top === 255 ? 255 : 1;
}

function outside(part: number, notation: Notation): string {
  if (part < 0) return `${part} is below 0`;
  return notation === "HSV" ? `${part}: hue ends at 360, saturation and value at 1` : `${part} is above 255`;
}

function linearOf(colour: Rgb, notation: Notation): Rgb {
  if (notation === "linear") return colour;
  if (notation === "0–255") return map(colour, (part) => decode(part / 255));
  return map(notation === "HSV" ? rgbOfHsv(colour) : colour, decode);
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
