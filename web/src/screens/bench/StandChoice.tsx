import { Flex, Select } from "antd";
import { useStands } from "../../api/surroundings";
import { NamedChoice } from "./NamedChoice";
import type { BenchView, SetView } from "./useBenchView";

interface Props {
  project: number;
  view: BenchView;
  setView: SetView;
}

/** The stand, and from how far it is looked at. */
export function StandChoice({ project, view, setView }: Props) {
  const stands = useStands(project).data ?? [];
  const [id = "", camera = ""] = view.stand.split(":");
  const stand = stands.find((candidate) => candidate.id === id);
  const named = (name: string, distance: string) => (distance === "" ? name : `${name}:${distance}`);
  return (
    <Flex gap={8} align="center">
      <NamedChoice
        label="Stand"
        value={id}
        choices={stands}
        choose={(next) => setView({ stand: named(next, camera) })}
        project={project}
        accept=".obj,.glb,.gltf,.usda,.usdc,.usd,.usdz"
        own="Own mesh (OBJ, GLB, USD)…"
      />
      <Select
        size="small"
        aria-label="Camera"
        value={camera}
        options={[
          { value: "", label: "usual distance" },
          ...(stand?.cameras ?? []).map(({ id: distance, title }) => ({ value: distance, label: title })),
          ...(camera.includes(",") ? [{ value: camera, label: "turned by hand" }] : []),
        ]}
        onChange={(distance) => setView({ stand: named(id, distance) })}
      />
    </Flex>
  );
}
