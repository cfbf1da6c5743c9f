import { useEffect, useState } from "react";
import type { Conversion } from "../../api/types";
import { openViewer, type Viewer } from "../../viewer/viewer";
import type { BenchView } from "./useBenchView";

/** A stand's id without the place of a camera that was turned by hand, and that place. */
export function handTurned(stand: string): [string, string | undefined] {
  const [name = "", camera] = stand.split(":");
  return camera?.includes(",") === true ? [name, camera] : [stand, undefined];
}

/** A conversion as its target's file, opened in a web renderer under the light of a view; and why it could not be. */
export function useWebViewer(conversion: Conversion, project: number, view: BenchView) {
  const [viewer, setViewer] = useState<Viewer>();
  const [failure, setFailure] = useState<string>();
  const { rig, turn } = view;
  const [stand] = handTurned(view.stand);
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
  return { viewer, failure };
}
