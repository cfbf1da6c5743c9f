import { Empty, Flex, Typography } from "antd";
import { useSearchParams } from "react-router";
import { selectionOf } from "../../api/board";
import { useKit, useKits } from "../../api/outside";
import type { Kit } from "../../api/types";
import { Failure } from "../../parts/Failure";
import { VerdictMark } from "../../parts/VerdictMark";
import { CameBack } from "./CameBack";
import { KitActions } from "./KitActions";
import { NewKit } from "./NewKit";
import "./outside.css";

/** Check kits for other renderers, and how the pictures that come back compare with ours. */
export function OutsideScreen({ project }: { project: number }) {
  const [search, setSearch] = useSearchParams();
  const kits = useKits(project);
  const wanted = selectionOf(search);
  const known = kits.data ?? [];
  const chosen = known.find(({ id }) => id === Number(search.get("kit"))) ?? known[0];
  const detail = useKit(chosen?.id);
  if (kits.error !== null) return <Failure error={kits.error} />;
  const choose = (kit: number) => setSearch({ kit: String(kit) });
  return (
    <div className="screen outside">
      <div className="kit-list">
        {wanted !== undefined && <NewKit project={project} selection={wanted} done={() => setSearch({})} />}
        <Typography.Title level={5} className="heading">
          Check kits
        </Typography.Title>
        {known.map((kit) => (
          <KitLine key={kit.id} kit={kit} chosen={kit.id === chosen?.id} choose={() => choose(kit.id)} />
        ))}
        {known.length === 0 && kits.data !== undefined && (
          <p className="faded small">
            None yet. Select materials on the board, then “Check kit of these”: it holds light, camera, meshes and
            materials for another renderer.
          </p>
        )}
      </div>
      {chosen === undefined ? (
        <Empty className="drop" description="The picture that another renderer makes of a kit is compared here." />
      ) : (
        <Flex vertical gap={12} className="kit-shown">
          <KitActions project={project} kit={chosen} />
          {detail.data !== undefined && detail.data.id === chosen.id && (
            <CameBack project={project} kit={detail.data} />
          )}
        </Flex>
      )}
    </div>
  );
}

function KitLine({ kit, chosen, choose }: { kit: Kit; chosen: boolean; choose: () => void }) {
  return (
    <button type="button" className="kit-line" aria-pressed={chosen} onClick={choose}>
      <span className="one-line plain">
        {kit.materials.length === 1 ? kit.materials[0] : `${kit.materials.length} materials`}
      </span>
      <span className="one-line faded smaller">
        {kit.title} · {kit.rig} · {new Date(`${kit.created}Z`).toLocaleDateString()}
      </span>
      {kit.verdict === null ? (
        <span className="faded smaller">nothing came back yet</span>
      ) : (
        <VerdictMark verdict={kit.verdict.verdict} title={kit.verdict.text} />
      )}
    </button>
  );
}
