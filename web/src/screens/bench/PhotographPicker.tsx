import { Button, Flex, InputNumber, Segmented, Select } from "antd";
import { useRef, useState, type PointerEvent } from "react";
import { useEdit } from "../../api/edits";
import { useModels } from "../../api/knowledge";
import { usePick } from "../../api/photographs";
import type { Conversion, Photograph } from "../../api/types";
import { hexOf, rgbOf } from "../../parts/colour";
import { useComplaint } from "../../parts/useComplaint";
import { squareAbout, usePhotographMarks, type Area, type Place } from "./photographMarks";

const ACTS = ["pick a colour", "set by a grey", "set by a chart", "crop to a square"] as const;
type Act = (typeof ACTS)[number];
type Picked = NonNullable<ReturnType<typeof usePick>["data"]>;
const EDGE = 320;

interface Props {
  conversion: Conversion;
  project: number;
  photograph: Photograph;
}

/** A photograph on which areas are drawn: a grey or the corners of a chart set exposure and white, then a colour is picked. */
export function PhotographPicker({ conversion, project, photograph }: Props) {
  const [act, setAct] = useState<Act>("pick a colour");
  const [{ grey, reflectance, corners, crop }, mark] = usePhotographMarks(photograph.id);
  const [area, setArea] = useState<Area>();
  const [begun, setBegun] = useState<Place>();
  const pick = usePick(project, photograph.id);
  const complain = useComplaint();
  const chart = corners.length === 4 ? (corners as [Place, Place, Place, Place]) : null;
  const ask = (chosen: Area) => {
    setArea(chosen);
    const setBy = { grey: chart === null ? (grey ?? null) : null, reflectance, chart };
    pick.mutate({ area: chosen, space: "", ...setBy }, { onError: complain });
  };
  const proportion = useRef(1);
  const placeOf = (event: PointerEvent<HTMLElement>): Place => {
    const box = event.currentTarget.getBoundingClientRect();
    const share = (at: number, from: number, size: number) => Math.min(Math.max((at - from) / size, 0), 1);
    return [share(event.clientX, box.left, box.width), share(event.clientY, box.top, box.height)];
  };
  const onPointerUp = (event: PointerEvent<HTMLElement>) => {
    const place = placeOf(event);
    if (act === "set by a chart") mark({ corners: corners.length >= 4 ? [place] : [...corners, place] });
    else if (begun !== undefined) {
      const drawn: Area = [begun, place];
      if (act === "set by a grey") mark({ grey: drawn });
      else if (act === "crop to a square") mark({ crop: squareAbout(drawn, proportion.current) });
      else ask(drawn);
    }
    setBegun(undefined);
  };
  return (
    <>
      <figure className="photograph">
        <div className="photograph-frame" style={crop && { width: EDGE, height: EDGE }}>
          <div
            className="photograph-area"
            style={crop && within(crop)}
            role="img"
            aria-label={`${photograph.title}: ${act}`}
            onPointerDown={(event) => setBegun(placeOf(event))}
            onPointerUp={onPointerUp}
          >
            <img
              src={`/api/v1/projects/${project}/photographs/${photograph.id}/picture`}
              alt={photograph.title}
              draggable={false}
              onLoad={({ currentTarget: { naturalWidth, naturalHeight } }) => {
                proportion.current = naturalWidth / naturalHeight;
              }}
            />
            {grey !== undefined && <Marked area={grey} label="grey" />}
            {area !== undefined && <Marked area={area} label="picked" />}
            {corners.map(([x, y], index) => (
              <span key={index} className="photograph-corner" style={{ left: `${100 * x}%`, top: `${100 * y}%` }}>
                {index + 1}
              </span>
            ))}
          </div>
        </div>
        <figcaption>{HINTS[act]}</figcaption>
      </figure>
      <div className="photograph-side">
        <Segmented
          size="small"
          aria-label="On the photograph"
          value={act}
          options={[...ACTS]}
          onChange={setAct}
          vertical
        />
        {act === "set by a grey" && (
          <InputNumber
            size="small"
            aria-label="Reflectance of the grey"
            min={0.01}
            max={1}
            step={0.01}
            value={reflectance}
            onChange={(value) => value !== null && mark({ reflectance: value })}
          />
        )}
        {crop !== undefined && (
          <Button size="small" onClick={() => mark({ crop: undefined })}>
            Whole photograph
          </Button>
        )}
        {pick.data !== undefined && <Found conversion={conversion} project={project} picked={pick.data} />}
      </div>
    </>
  );
}

const HINTS: Record<Act, string> = {
  "pick a colour": "Drag over an even area to average it.",
  "set by a grey": "Drag over an even grey; its reflectance beside.",
  "crop to a square": "Drag over what the render shows: both are then seen alike.",
  "set by a chart": "Click the chart’s four corners, clockwise from the first patch.",
};

/** Lays the whole photograph so that a crop of it fills the frame. */
function within([[left, top], [right, bottom]]: Area) {
  const [width, height] = [right - left, bottom - top];
  return {
    position: "absolute",
    maxWidth: "none",
    width: `${100 / width}%`,
    height: `${100 / height}%`,
    left: `${(-100 * left) / width}%`,
    top: `${(-100 * top) / height}%`,
  } as const;
}

function Marked({ area: [first, last], label }: { area: Area; label: string }) {
  const left = Math.min(first[0], last[0]);
  const top = Math.min(first[1], last[1]);
  const size = { width: Math.abs(last[0] - first[0]), height: Math.abs(last[1] - first[1]) };
  return (
    <span
      className="photograph-mark"
      aria-label={label}
      style={{
        left: `${100 * left}%`,
        top: `${100 * top}%`,
        width: `${100 * size.width}%`,
        height: `${100 * size.height}%`,
      }}
    />
  );
}

/** The picked colour in numbers, and the act of putting it into a value of the conversion. */
function Found({ conversion, project, picked }: { conversion: Conversion; project: number; picked: Picked }) {
  const parameters = (useModels().data ?? []).find(({ id }) => id === conversion.target)?.parameters ?? [];
  const colours = parameters.filter(({ kind }) => kind === "colour").map(({ name }) => name);
  const [into, setInto] = useState<string>();
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const name = into ?? colours[0];
  const colour = rgbOf(picked.colour) ?? [0, 0, 0];
  const value = colour.map((part) => Math.min(Math.max(part, 0), 1));
  return (
    <div className="small">
      <Flex gap={8} align="center">
        <span className="colour-chip" style={{ background: hexOf(colour) }} />
        <span className="numbers">{picked.colour.map((part) => part.toFixed(4)).join(" ")}</span>
      </Flex>
      <div>
        linear, read as {picked.space}; {picked.pixels} pixels, 95 % within ΔE{" "}
        <span className="numbers">{picked.spread.toFixed(1)}</span>.
        {picked.exposure !== null && (
          <>
            {" "}
            <span className="numbers">{picked.exposure.toFixed(2)}</span> EV taken out.
          </>
        )}
        {picked.off !== null && (
          <>
            {" "}
            The chart is then off by ΔE{" "}
            <span className="numbers">{picked.off.map((off) => off.toFixed(1)).join(", at most ")}</span>.
          </>
        )}
      </div>
      {name !== undefined && (
        <Flex gap={8} align="center" wrap>
          <Select
            size="small"
            aria-label="Value that takes the colour"
            className="field"
            value={name}
            options={colours.map((one) => ({ value: one, label: one }))}
            onChange={setInto}
          />
          <Button
            size="small"
            loading={edit.isPending}
            onClick={() => edit.mutate({ kind: "set", name, value }, { onError: complain })}
          >
            Put it there
          </Button>
        </Flex>
      )}
    </div>
  );
}
