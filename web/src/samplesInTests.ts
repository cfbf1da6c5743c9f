import type { Decision, Figures, Parameter, Plainness, Target, Verdict } from "./api/types";

const written = { format: "materialx", format_title: "MaterialX", writes: "one document" };

/** What a server might serve as targets. */
export const OPEN_PBR: Target = {
  key: "open_pbr",
  model: "open_pbr",
  profile: "extensions",
  title: "OpenPBR",
  says: "",
  narrows: "",
  extensions: [],
  ...written,
};
export const GLTF_CORE: Target = {
  ...OPEN_PBR,
  key: "metal_rough.core",
  model: "metal_rough",
  profile: "core",
  title: "glTF core",
  format: "gltf",
  format_title: "glTF 2.0",
};
export const UNWRITTEN: Target = { ...OPEN_PBR, key: "own", model: "own", title: "Studio model", format: "" };
export const TARGETS = [OPEN_PBR, GLTF_CORE, UNWRITTEN];

/** What a server might say of a parameter. */
export const ROUGHNESS: Parameter = {
  name: "specular_roughness",
  kind: "number",
  group: "reflection",
  says: "",
  unit: "",
  default: 0.3,
  low: 0,
  high: 1,
  options: [],
  role: "",
  looked_up_in: "",
  undrawn: "",
};

/** What a server might say of how plain values are. */
export const PLAIN: Plainness = {
  text: "plain",
  unusual: [],
  layers: [],
  extensions: [],
  set_values: 2,
  maps: 0,
  texels: 0,
};

/** What a server might say of a verdict. */
export function decision(verdict: Verdict, text = `${verdict}: colour 0.6 ΔE2000, at most 1`): Decision {
  return { verdict, least: verdict, most: verdict, metric: "colour", rig: "low_sun", text, excess: 0.6, unseen: [] };
}

/** What a server might tell of two surfaces without a picture. */
export const FIGURES: Figures = {
  decision: decision("match"),
  readings: [
    {
      metric: "mirrored_detail",
      value: 28,
      floor: 0,
      original: null,
      converted: null,
      verdict: "off",
      match: 6,
      near: 20,
    },
    {
      metric: "gloss_60",
      value: 6.5,
      floor: 0,
      original: 92.1,
      converted: 85.6,
      verdict: null,
      match: null,
      near: null,
    },
  ],
  lobe_error: 0.08,
  angles: [10, 45, 80],
  profile_degrees: [1, 10, 30],
  profile_original: [4, 1, 0.1],
  profile_converted: [3, 1, 0.2],
  reflectance_original: [
    [0.1, 0.1, 0.1],
    [0.1, 0.1, 0.1],
    [0.4, 0.4, 0.4],
  ],
  reflectance_converted: [
    [0.1, 0.1, 0.1],
    [0.1, 0.1, 0.1],
    [0.2, 0.2, 0.2],
  ],
};
