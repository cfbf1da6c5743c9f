import { Flex, Segmented, Select, Slider } from "antd";
import { useEffect, useState, type ReactNode } from "react";
import { fileUrl } from "../../api/client";
import { useRigs, useStands, type Check } from "../../api/queries";
import { PictureWell } from "../../parts/PictureWell";
import { SHOWN_AS, type BenchView } from "./useBenchView";

const BLINK = 700;
const EDGE = 300;
const TURNS = [0, 90, 180, 270].map((turn) => ({ value: turn, label: `light turned ${turn}°` }));

interface Props {
  view: BenchView;
  setView: (change: Partial<BenchView>) => void;
  check: Check | undefined;
  pending: boolean;
  failure: string | undefined;
  name: string;
}

/** Original and converted in one neutral well, the way one likes to compare them, with light and stand below. */
export function PicturePair({ view, setView, check, pending, failure, name }: Props) {
  return (
    <div>
      <div className="on-well">
        <Compared view={view} check={check} name={name} />
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
        <Select
          size="small"
          aria-label="Turn of the light"
          className="field-with-unit"
          value={view.turn}
          options={TURNS}
          onChange={(turn) => setView({ turn })}
        />
        <Segmented
          size="small"
          aria-label="Comparison"
          value={view.shownAs}
          options={[...SHOWN_AS]}
          onChange={(shownAs) => setView({ shownAs })}
        />
        <span role="status" className={failure === undefined ? "faded small" : "small"}>
          {failure ?? (pending ? "being checked…" : "")}
        </span>
      </Flex>
    </div>
  );
}

function useChoices(named: { id: string; title: string }[] | undefined) {
  return (named ?? []).map(({ id, title }) => ({ value: id, label: title }));
}

function Compared({ view, check, name }: { view: BenchView; check: Check | undefined; name: string }) {
  const pictures = check?.pictures;
  if (view.shownAs === "divider" && pictures !== undefined) {
    return <Divided original={pictures.original} converted={pictures.converted} name={name} />;
  }
  if (view.shownAs === "blink" && pictures !== undefined) {
    return <Blinking original={pictures.original} converted={pictures.converted} name={name} />;
  }
  const shown =
    view.shownAs === "difference" ? (["difference"] as const) : (["original", "converted", "difference"] as const);
  return (
    <Flex gap={8} justify="center">
      {shown.map((which) => (
        <Captioned key={which} caption={which}>
          <PictureWell
            digest={pictures?.[which]}
            label={`${name}, ${which}`}
            edge={shown.length === 1 ? EDGE : "100%"}
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
  original: string;
  converted: string;
  name: string;
}

function Divided({ original, converted, name }: OverProps) {
  const [at, setAt] = useState(50);
  return (
    <div className="divided">
      <div className="laid-over">
        <PictureWell digest={converted} label={`${name}, converted`} edge={EDGE} />
        <img
          src={fileUrl(original)}
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

function Blinking({ original, converted, name }: OverProps) {
  const [first, setFirst] = useState(true);
  useEffect(() => {
    const timer = setInterval(() => setFirst((shown) => !shown), BLINK);
    return () => clearInterval(timer);
  }, []);
  return (
    <Flex justify="center">
      <Captioned caption={first ? "original" : "converted"}>
        <div className="laid-over">
          <PictureWell digest={converted} label={`${name}, converted`} edge={EDGE} />
          <img src={fileUrl(original)} alt={`${name}, original`} className="over" hidden={!first} />
        </div>
      </Captioned>
    </Flex>
  );
}
