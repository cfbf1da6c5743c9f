import { Flex, Segmented, Slider } from "antd";
import { useEffect, useState, type ReactNode } from "react";
import { useRigs, useStands } from "../../api/queries";
import { PictureWell } from "../../parts/PictureWell";
import { SHOWN_AS, type BenchView } from "./useBenchView";
import type { Look, Pictures } from "./useLook";

const BLINK = 700;
const EDGE = 300;

interface Props {
  view: BenchView;
  setView: (change: Partial<BenchView>) => void;
  look: Look;
  name: string;
}

/** Original and converted in one neutral well, the way one likes to compare them, with light and stand below. */
export function PicturePair({ view, setView, look, name }: Props) {
  return (
    <div>
      <div className="on-well">
        <Compared view={view} look={look} name={name} />
      </div>
      <Flex gap={10} align="center" wrap className="bar">
        <Segmented
          size="small"
          aria-label="Light rig"
          value={view.rig}
          options={useChoices(useRigs().data)}
          onChange={(rig) => setView({ rig })}
        />
        <Segmented
          size="small"
          aria-label="Stand"
          value={view.stand}
          options={useChoices(useStands().data)}
          onChange={(stand) => setView({ stand })}
        />
        <Turn turn={view.turn} set={(turn) => setView({ turn })} />
        <Segmented
          size="small"
          aria-label="Comparison"
          value={view.shownAs}
          options={[...SHOWN_AS]}
          onChange={(shownAs) => setView({ shownAs })}
        />
        <Progress look={look} />
      </Flex>
    </div>
  );
}

function Progress({ look }: { look: Look }) {
  if (look.failure !== undefined)
    return (
      <span role="status" className="small">
        {look.failure}
      </span>
    );
  const drawn = look.stale ? "being drawn…" : look.refining ? `${look.samples} samples, refining…` : "";
  return (
    <span role="status" className="faded small numbers">
      {drawn}
    </span>
  );
}

/** The turn of the light, dragged; the pictures keep up. */
function Turn({ turn, set }: { turn: number; set: (turn: number) => void }) {
  return (
    <Flex gap={8} align="center">
      <span className="small faded">Light turned</span>
      <Slider
        ariaLabelForHandle="Turn of the light in degrees"
        className="turn"
        min={0}
        max={355}
        step={5}
        value={turn}
        tooltip={{ open: false }}
        onChange={set}
      />
      <span className="numbers small turn-value">{turn}°</span>
    </Flex>
  );
}

function useChoices(named: { id: string; title: string }[] | undefined) {
  return (named ?? []).map(({ id, title }) => ({ value: id, label: title }));
}

function Compared({ view, look, name }: { view: BenchView; look: Look; name: string }) {
  const { pictures } = look;
  if (view.shownAs === "divider" && pictures !== undefined)
    return <Divided pictures={pictures} look={look} name={name} />;
  if (view.shownAs === "blink" && pictures !== undefined)
    return <Blinking pictures={pictures} look={look} name={name} />;
  const shown =
    view.shownAs === "difference" ? (["difference"] as const) : (["original", "converted", "difference"] as const);
  return (
    <Flex gap={8} justify="center">
      {shown.map((which) => (
        <Captioned key={which} caption={which}>
          <PictureWell
            source={pictures?.[which]}
            label={`${name}, ${which}`}
            edge={shown.length === 1 ? EDGE : "100%"}
            dimmed={which === "original" ? look.originalStale : look.stale}
          />
        </Captioned>
      ))}
      <DifferenceScale />
    </Flex>
  );
}

function Captioned({ caption, children }: { caption: string; children: ReactNode }) {
  return (
    <figure className="captioned">
      {children}
      <figcaption>{caption}</figcaption>
    </figure>
  );
}

/** The colours of the difference picture, as the server draws it. */
function DifferenceScale() {
  return (
    <Flex gap={4} aria-label="Scale of the difference, ΔE2000 from 0 to 10" role="img" className="numbers scale">
      <span className="scale-colours" />
      <Flex vertical justify="space-between">
        {[10, 7.5, 5, 2.5, 0].map((step) => (
          <span key={step}>{step}</span>
        ))}
      </Flex>
    </Flex>
  );
}

interface OverProps {
  pictures: Pictures;
  look: Look;
  name: string;
}

function Divided({ pictures, look, name }: OverProps) {
  const [at, setAt] = useState(50);
  return (
    <div className="divided">
      <div className="laid-over">
        <PictureWell source={pictures.converted} label={`${name}, converted`} edge={EDGE} dimmed={look.stale} />
        <img
          src={pictures.original}
          alt={`${name}, original`}
          className="over"
          style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }}
        />
        <span className="edge" style={{ left: `${at}%` }} />
      </div>
      <Slider
        ariaLabelForHandle="Divider: original left, converted right"
        value={at}
        onChange={setAt}
        tooltip={{ open: false }}
      />
    </div>
  );
}

function Blinking({ pictures, look, name }: OverProps) {
  const [first, setFirst] = useState(true);
  useEffect(() => {
    const timer = setInterval(() => setFirst((shown) => !shown), BLINK);
    return () => clearInterval(timer);
  }, []);
  return (
    <Flex justify="center">
      <Captioned caption={first ? "original" : "converted"}>
        <div className="laid-over">
          <PictureWell source={pictures.converted} label={`${name}, converted`} edge={EDGE} dimmed={look.stale} />
          <img src={pictures.original} alt={`${name}, original`} className="over" hidden={!first} />
        </div>
      </Captioned>
    </Flex>
  );
}
