import { useSearchParams } from "react-router";

/** What materials are converted to: a model, and the profile that limits it. */
export interface Aim {
  key: string;
  label: string;
  target: "open_pbr" | "metal_rough" | "preview" | "standard_surface" | "exponent";
  profile: "extensions" | "core";
}

export const AIMS: [Aim, ...Aim[]] = [
  { key: "open_pbr", label: "OpenPBR", target: "open_pbr", profile: "extensions" },
  { key: "gltf", label: "glTF with extensions", target: "metal_rough", profile: "extensions" },
  { key: "gltf-core", label: "glTF core", target: "metal_rough", profile: "core" },
  { key: "preview", label: "USD preview surface", target: "preview", profile: "extensions" },
  { key: "standard-surface", label: "Standard Surface", target: "standard_surface", profile: "extensions" },
  { key: "mtl", label: "MTL", target: "exponent", profile: "extensions" },
];

/** The aim in the address, so that a link shows the same board. */
export function useAim(): [Aim, (key: string) => void] {
  const [search, setSearch] = useSearchParams();
  const aim = AIMS.find((candidate) => candidate.key === search.get("to")) ?? AIMS[0];
  const choose = (key: string) => setSearch((old) => {
    old.set("to", key);
    return old;
  }, { replace: true });
  return [aim, choose];
}
