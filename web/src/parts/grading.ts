import type { Schemas } from "../api/client";

/** A step as it is sent: exactly one thing is said. */
export type Step = Schemas["ValueStep-Input"];

/** What a step takes: how many numbers, between what ends, and where it begins, which changes nothing. */
export interface Kind {
  name: "hue" | "saturation" | "lightness" | "gain" | "lift" | "scale" | "offset" | "power" | "remap" | "invert";
  title: string;
  parts: readonly string[];
  start: readonly number[];
  low: number;
  high: number;
  unit: string;
}

const RGB = ["red", "green", "blue"] as const;
const share = { low: 0, high: 4, unit: "×" };

const COLOUR_KINDS: readonly Kind[] = [
  { name: "hue", title: "Hue", parts: [""], start: [0], low: -180, high: 180, unit: "°" },
  { name: "saturation", title: "Saturation", parts: [""], start: [1], ...share },
  { name: "lightness", title: "Lightness", parts: [""], start: [1], ...share },
  { name: "gain", title: "Gain by channel", parts: RGB, start: [1, 1, 1], ...share },
  { name: "lift", title: "Offset by channel", parts: RGB, start: [0, 0, 0], low: -1, high: 1, unit: "" },
];

const NUMBER_KINDS: readonly Kind[] = [
  { name: "scale", title: "Gain", parts: [""], start: [1], ...share },
  { name: "offset", title: "Offset", parts: [""], start: [0], low: -1, high: 1, unit: "" },
  {
    name: "remap",
    title: "Remap",
    parts: ["from", "from, high", "to", "to, high"],
    start: [0, 1, 0, 1],
    low: -4,
    high: 4,
    unit: "",
  },
  { name: "power", title: "Power", parts: [""], start: [1], low: 0.1, high: 10, unit: "" },
  { name: "invert", title: "Invert: white for black", parts: [], start: [], low: 0, high: 1, unit: "" },
];

/** The steps that a value of this kind takes. */
export function kindsFor(kind: string): readonly Kind[] {
  return kind === "colour" ? [...COLOUR_KINDS, ...NUMBER_KINDS] : NUMBER_KINDS;
}

export interface Taken {
  kind: Kind;
  numbers: readonly number[];
}

/** Steps as they are edited. What only keeps a value within its range is left out: the server adds it. */
export function takenFrom(steps: readonly unknown[], kind: string): Taken[] {
  const kinds = kindsFor(kind);
  return steps.flatMap((step) => {
    const [name, argument] = Object.entries(step as Record<string, unknown>)[0] ?? [];
    const found = kinds.find((candidate) => candidate.name === name);
    if (found === undefined) return [];
    return [
      {
        kind: found,
        numbers: Array.isArray(argument) ? (argument as number[]) : found.parts.map(() => Number(argument)),
      },
    ];
  });
}

export function stepsOf(taken: readonly Taken[]): Step[] {
  return taken.map(({ kind: { name, parts }, numbers }) => {
    const argument = name === "invert" ? true : parts.length === 1 ? numbers[0] : numbers;
    return { [name]: argument };
  });
}
