import { Flex, Segmented, Select, Typography } from "antd";
import { useState } from "react";
import { useEdit } from "../../api/edits";
import { useMapPicture } from "../../api/maps";
import type { Conversion, ConversionMap } from "../../api/types";
import { Grading } from "../../parts/Grading";
import type { Step } from "../../parts/grading";
import { useComplaint } from "../../parts/useComplaint";
import { useBenchView } from "../bench/useBenchView";
import { useLook } from "../bench/useLook";
import { CHANNELS, MapPicture, type Channel, type Place } from "./MapPicture";
import { useSettled } from "../../parts/useSettled";

const LOOK_EDGE = 190;
const TRY_EVERY = 90;

interface Props {
  project: number;
  conversion: Conversion;
  map: ConversionMap;
}

/** One map: source and converted side by side, read at the same place, with the steps in between and the grade below. */
export function OneMap({ project, conversion, map }: Props) {
  const [channel, setChannel] = useState<Channel>("all");
  const [place, setPlace] = useState<Place>();
  const [source, setSource] = useState(map.sources[0]?.name);
  const [tried, setTried] = useState<Step[]>();
  const steps = useSettled(tried, TRY_EVERY);
  const before = useMapPicture(conversion.id, map.name, { source: source ?? "" });
  const after = useMapPicture(conversion.id, map.name, steps === undefined ? {} : { steps });
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const gradable = map.kind === "number" || map.kind === "colour";
  const said = map.sources.find(({ name }) => name === source)?.says ?? [];
  return (
    <div>
      <Flex gap={12} align="center" className="maps-bar">
        <Segmented aria-label="Channel" size="small" value={channel} options={[...CHANNELS]} onChange={setChannel} />
        {map.sources.length > 1 && (
          <Select
            aria-label="Source map"
            size="small"
            className="field"
            value={source ?? null}
            options={map.sources.map(({ name }) => ({ value: name, label: name }))}
            onChange={setSource}
          />
        )}
        <span className="faded small">Point at a map to read both sides there.</span>
      </Flex>
      <div className="map-pair">
        <MapPicture
          title={source ?? "source"}
          notes={said}
          label={`${map.name}, source`}
          map={source === undefined ? undefined : before.data}
          failure={before.error}
          channel={channel}
          place={place}
          setPlace={setPlace}
        />
        <MapPicture
          title={`${map.name}, converted`}
          notes={[`${map.width} × ${map.height} when it is written`]}
          label={`${map.name}, converted`}
          map={after.data}
          failure={after.error}
          channel={channel}
          place={place}
          setPlace={setPlace}
        />
        <LivePair conversion={conversion} name={map.name} steps={steps} />
      </div>
      <Flex gap={32} wrap className="map-words">
        <section aria-label="Steps in between" className="map-part">
          <Typography.Title level={5} className="heading">
            What was done in between
          </Typography.Title>
          <ol className="list small">
            {map.steps.map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ol>
        </section>
        {gradable && (
          <section aria-label="Grade" className="map-part">
            <Typography.Title level={5} className="heading">
              Grade
            </Typography.Title>
            <Grading
              label={map.name}
              kind={map.kind}
              steps={map.grade}
              onTry={setTried}
              onCommit={(chosen) =>
                edit.mutate({ kind: "grade", name: map.name, steps: chosen }, { onError: complain })
              }
            />
          </section>
        )}
      </Flex>
    </div>
  );
}

/** Both looks as they come out of it, while a grade is tried too. */
function LivePair({ conversion, name, steps }: { conversion: Conversion; name: string; steps: Step[] | undefined }) {
  const [view] = useBenchView();
  const look = useLook(conversion, view, steps === undefined ? {} : { [name]: { grade: steps } }, LOOK_EDGE);
  return (
    <div className="live-pair">
      {(["original", "converted"] as const).map((side) => (
        <figure key={side} className="map-figure">
          {look.pictures === undefined ? (
            <div role="img" aria-label={`${conversion.name}, ${side}: not made yet`} className="well" />
          ) : (
            <img
              src={look.pictures[side]}
              alt={`${conversion.name}, ${side}`}
              className="well"
              data-dimmed={side === "original" ? look.originalStale : look.stale}
            />
          )}
          <figcaption className="faded smaller">{side}</figcaption>
        </figure>
      ))}
      <span className="smaller">{look.decision?.text}</span>
    </div>
  );
}
