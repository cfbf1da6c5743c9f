import { Divider, Flex, Select } from "antd";
import { useStands } from "../../api/queries";
import { HandIn } from "./HandIn";
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
      <Select
        size="small"
        aria-label="Stand"
        className="field"
        popupMatchSelectWidth={260}
        value={id}
        options={stands.map((one) => ({ value: one.id, label: one.title, title: `${one.title}: ${one.says}` }))}
        onChange={(next) => setView({ stand: named(next, camera) })}
        popupRender={(menu) => (
          <>
            {menu}
            <Divider className="in-menu" />
            <HandIn
              project={project}
              accept=".obj,.glb,.gltf"
              label="Own mesh (OBJ, GLB)…"
              take={(next) => setView({ stand: named(next, camera) })}
            />
          </>
        )}
      />
      <Select
        size="small"
        aria-label="Camera"
        value={camera}
        options={[
          { value: "", label: "usual distance" },
          ...(stand?.cameras ?? []).map(({ id: distance, title }) => ({ value: distance, label: title })),
        ]}
        onChange={(distance) => setView({ stand: named(id, distance) })}
      />
    </Flex>
  );
}
