import { Button, Flex } from "antd";
import { useEffect, useRef, useState } from "react";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { openViewer, type Viewer } from "../../viewer/viewer";
import type { Conversion } from "../../api/queries";
import { PictureWell } from "../../parts/PictureWell";
import type { BenchView } from "./useBenchView";
import type { Look } from "./useLook";
import { useWebDifference } from "./useWebDifference";
import { usePixels } from "./viewer/usePixels";

interface Props {
  conversion: Conversion;
  project: number;
  view: BenchView;
  look: Look;
}

const EDGE = 320;

/** The delivered glTF in an independent web renderer, beside our picture of the same: same rig, stand, camera, turn and exposure. */
export default function WebView({ conversion, project, view, look }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const [viewer, setViewer] = useState<Viewer>();
  const [failure, setFailure] = useState<string>();
  const [moved, setMoved] = useState(0);
  const { rig, stand, turn } = view;
  const { id, version } = conversion;
  useEffect(() => {
    const dropped = new AbortController();
    let made: Viewer | undefined;
    const load = async (address: string) => {
      const answer = await fetch(address, { signal: dropped.signal });
      if (!answer.ok) throw new Error(((await answer.json()) as { detail: string }).detail);
      return answer.arrayBuffer();
    };
    const scene = new URLSearchParams({ stand, version: String(version) });
    const light = new URLSearchParams({ rig, turn: String(turn) });
    Promise.all([
      load(`/api/v1/conversions/${id}/web-scene?${scene}`),
      load(`/api/v1/projects/${project}/light?${light}`),
    ])
      .then(([glb, sky]) => openViewer(glb, sky))
      .then((opened) => {
        if (dropped.signal.aborted) return opened.renderer.dispose();
        made = opened;
        setFailure(undefined);
        setMoved(0);
        setViewer(opened);
      })
      .catch((reason: unknown) => {
        if (!dropped.signal.aborted) setFailure(reason instanceof Error ? reason.message : String(reason));
      });
    return () => {
      dropped.abort();
      made?.renderer.dispose();
      setViewer(undefined);
    };
  }, [id, version, project, rig, stand, turn]);

  useEffect(() => {
    const box = place.current;
    if (viewer === undefined || box === null) return undefined;
    const { renderer, scene, camera, target, reset } = viewer;
    renderer.setSize(EDGE, EDGE);
    box.replaceChildren(renderer.domElement);
    const controls = new OrbitControls(camera, renderer.domElement);
    controls.target.copy(target);
    // The controls have looked at the origin, before they were told what to look at.
    reset();
    const draw = () => renderer.render(scene, camera);
    controls.addEventListener("change", draw);
    controls.addEventListener("end", () => setMoved((count) => count + 1));
    draw();
    return () => controls.dispose();
  }, [viewer]);

  const pixels = usePixels(look.pictures?.pixels, false);
  const current = !look.stale && moved === 0;
  const difference = useWebDifference(current ? viewer : undefined, pixels);
  return (
    <section aria-label="As a web page shows it" className="web-view on-well">
      <figure className="captioned">
        <div ref={place} className="web-canvas" role="img" aria-label={`${conversion.name}, in a web viewer`}>
          {failure ?? "being loaded…"}
        </div>
        <figcaption>
          <Flex justify="space-between">
            <span>the delivered glTF, in a web viewer</span>
            {moved > 0 && viewer !== undefined && (
              <Button size="small" type="link" onClick={() => putBack(viewer, setMoved)}>
                put the camera back
              </Button>
            )}
          </Flex>
        </figcaption>
      </figure>
      <figure className="captioned">
        <PictureWell
          source={look.pictures?.converted}
          label={`${conversion.name}, converted, ours`}
          edge={EDGE}
          dimmed={look.stale}
        />
        <figcaption>converted, ours</figcaption>
      </figure>
      <p className="web-figure">
        {difference === undefined ? (
          moved > 0 ? (
            "The camera was moved: no figure."
          ) : (
            "being measured…"
          )
        ) : (
          <>
            The viewer differs from our picture of the same by ΔE{" "}
            <strong className="numbers">{difference.half.toFixed(2)}</strong> (half of the body),{" "}
            <strong className="numbers">{difference.most.toFixed(2)}</strong> (95 %). This part is the viewer’s: it
            mirrors neither ground nor shadows, blurs surroundings in steps, and bends no light through bodies. What the
            conversion changes stands beside the pair above.
          </>
        )}
      </p>
    </section>
  );
}

function putBack(viewer: Viewer, setMoved: (count: number) => void) {
  viewer.reset();
  viewer.renderer.render(viewer.scene, viewer.camera);
  setMoved(0);
}
