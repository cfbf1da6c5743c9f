import type { Parameter, Target } from "./api/queries";

const written = { format: "materialx", format_title: "MaterialX", writes: "one document" };

/** What a server might serve as targets. */
export const OPEN_PBR: Target = {
  key: "open_pbr",
  model: "open_pbr",
  profile: "extensions",
  title: "OpenPBR",
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
