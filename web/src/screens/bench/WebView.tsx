import { Button } from "antd";
import { useEffect, useRef } from "react";
import { MathUtils } from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { CAMERA_ROOM, placeOf, putCamera, type Viewer } from "../../viewer/viewer";
import type { Conversion } from "../../api/types";
import { PictureWell } from "../../parts/PictureWell";
import type { BenchView, SetView } from "./useBenchView";
import type { Look } from "./useLook";
import { useWebDifference } from "./useWebDifference";
import { handTurned, useWebViewer } from "./useWebViewer";
import { usePixels } from "./viewer/usePixels";

interface Props {
  conversion: Conversion;
  project: number;
  view: BenchView;
  setView: SetView;
  look: Look;
}

const EDGE = 320;

/**
 * The delivered glTF in an independent web renderer, beside our picture of the same: same rig, stand, turn of the light and exposure, and
 * the same camera, which is turned and moved there.
 */
export default function WebView({ conversion, project, view, setView, look }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const { viewer, failure } = useWebViewer(conversion, project, view);
  const [stand, camera] = handTurned(view.stand);

  useEffect(() => {
    if (viewer !== undefined && place.current !== null) {
      viewer.renderer.setSize(EDGE, EDGE);
      place.current.replaceChildren(viewer.renderer.domElement);
    }
  }, [viewer]);

  // The controls stay while the view changes under the hand that turns it.
  const tell = useRef(setView);
  useEffect(() => {
    tell.current = setView;
  }, [setView]);
  useEffect(() => {
    if (viewer === undefined) return undefined;
    const [name = ""] = stand.split(":");
    const controls = turnedByHand(viewer);
    controls.addEventListener("change", () => tell.current({ stand: `${name}:${placeOf(viewer)}` }));
    return () => controls.dispose();
  }, [viewer, stand]);

  useEffect(() => {
    if (viewer === undefined) return;
    putCamera(viewer, camera);
    viewer.renderer.render(viewer.scene, viewer.camera);
  }, [viewer, camera]);

  const pixels = usePixels(look.pictures?.pixels, false);
  const difference = useWebDifference(look.stale ? undefined : viewer, view.stand, look.pictures?.pixels, pixels);
  return (
    <section aria-label="As a web page shows it" className="web-view on-well">
      <figure className="captioned">
        <div ref={place} className="web-canvas" role="img" aria-label={`${conversion.name}, in a web viewer`}>
          {failure ?? "being loaded…"}
        </div>
        <figcaption>the delivered glTF, in a web viewer</figcaption>
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
      <div className="web-figure">
        <p>Drag in the left picture to turn it, scroll to go nearer or farther: all pictures follow.</p>
        {camera !== undefined && (
          <Button size="small" onClick={() => setView({ stand })}>
            Reset the camera
          </Button>
        )}
        {difference === undefined ? (
          <p>being measured…</p>
        ) : (
          <p>
            The viewer differs from our picture of the same by ΔE{" "}
            <strong className="numbers">{difference.half.toFixed(2)}</strong> (median),{" "}
            <strong className="numbers">{difference.most.toFixed(2)}</strong> (95 %). This part is the viewer’s: it
            mirrors neither ground nor shadows, blurs surroundings in steps, and bends no light through bodies. What the
            conversion changes stands beside the pair above.
          </p>
        )}
      </div>
    </section>
  );
}

/** Lets the camera be turned about what it looks at and moved to and from it, as far as the server draws from there too. */
function turnedByHand({ camera, renderer, target }: Viewer): OrbitControls {
  const controls = new OrbitControls(camera, renderer.domElement);
  controls.target.copy(target);
  controls.enablePan = false;
  controls.minPolarAngle = MathUtils.degToRad(90 - CAMERA_ROOM.highest);
  controls.maxPolarAngle = MathUtils.degToRad(90);
  controls.minDistance = CAMERA_ROOM.closest;
  controls.maxDistance = CAMERA_ROOM.farthest;
  return controls;
}
