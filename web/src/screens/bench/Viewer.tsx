import { Flex } from "antd";
import { useState, type RefObject } from "react";
import type { Conversion } from "../../api/types";
import { Progress } from "./Progress";
import type { BenchView, SetView } from "./useBenchView";
import type { Look } from "./useLook";
import { ViewBar } from "./ViewBar";
import { Panes, type Pointed } from "./viewer/Panes";
import { Probe } from "./viewer/Probe";
import { usePixels } from "./viewer/usePixels";
import type { Zoom, ZoomActs } from "./viewer/useZoom";

interface Props {
  conversion: Conversion;
  project: number;
  view: BenchView;
  setView: SetView;
  look: Look;
  box: RefObject<HTMLDivElement | null>;
  edge: number;
  zoom: Zoom;
  acts: ZoomActs;
  full: boolean;
  toggleFull: () => void;
}

/** Original and converted as large as the window allows, the way one likes to compare them, with light and stand below. */
export function Viewer({ conversion, project, view, setView, look, box, edge, zoom, acts, full, toggleFull }: Props) {
  const [pointed, point] = useState<Pointed>();
  const pixels = usePixels(look.pictures?.pixels, view.measure === "FLIP");
  return (
    <div className={full ? "viewer full-window" : "viewer"}>
      <div ref={box} className="on-well">
        <Panes
          view={view}
          setView={setView}
          look={look}
          name={conversion.name}
          pixels={pixels}
          edge={edge}
          zoom={zoom}
          acts={acts}
          pointed={pointed}
          point={point}
        />
      </div>
      <Flex justify="space-between" gap={16}>
        <Probe pixels={pixels} pointed={pointed} />
        <Progress look={look} />
      </Flex>
      <ViewBar
        conversion={conversion}
        project={project}
        view={view}
        setView={setView}
        acts={acts}
        full={full}
        toggleFull={toggleFull}
      />
    </div>
  );
}
