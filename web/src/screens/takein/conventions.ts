import type { Schemas } from "../../api/client";

type Fix = Omit<Schemas["Correction"], "parameter">;

interface Convention {
  label: string;
  fix: Fix;
}

/** How a map may have been meant instead. */
export const OF_MAPS: Convention[] = [
  { label: "turn it, white for black", fix: { invert: true } },
  { label: "read it as data (linear)", fix: { invert: false, encoding: "linear" } },
  { label: "read it as colour (sRGB)", fix: { invert: false, encoding: "srgb" } },
  { label: "read it as ACEScg", fix: { invert: false, encoding: "ACEScg" } },
  { label: "read it as linear P3", fix: { invert: false, encoding: "lin_p3d65" } },
  { label: "read it as colour of gamma 2.2", fix: { invert: false, encoding: "g22_rec709" } },
  { label: "read its red", fix: { invert: false, channel: "r" } },
  { label: "read its green", fix: { invert: false, channel: "g" } },
  { label: "read its blue", fix: { invert: false, channel: "b" } },
  { label: "read its alpha", fix: { invert: false, channel: "a" } },
  { label: "take its square root", fix: { invert: false, power: 0.5 } },
  { label: "square it", fix: { invert: false, power: 2 } },
];

/** How a typed number or colour may have been meant instead. */
export const OF_NUMBERS: Convention[] = [
  { label: "turn it, 1 − x", fix: { invert: true } },
  { label: "it was counted to 100", fix: { invert: false, scale: 0.01 } },
  { label: "it was counted to 255", fix: { invert: false, scale: 1 / 255 } },
  { label: "it was typed as sRGB", fix: { invert: false, encoding: "srgb" } },
  { label: "it was typed in linear light", fix: { invert: false, encoding: "linear" } },
  { label: "take its square root", fix: { invert: false, power: 0.5 } },
  { label: "square it", fix: { invert: false, power: 2 } },
  { label: "it is in cd/m², 100 are white", fix: { invert: false, scale: 0.01 } },
];
