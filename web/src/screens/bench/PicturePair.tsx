import { Flex, Segmented, Select, Slider } from "antd";
import { useEffect, useState, type ReactNode } from "react";
import { fileUrl } from "../../api/client";
import { useRigs, useStands, type Check } from "../../api/queries";
import { PictureWell } from "../../parts/PictureWell";
import { palette } from "../../theme";
import { SHOWN_AS, type BenchView } from "./useBenchView";

const BLINK = 700;
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
  const rigs = useRigs().data ?? [];
  const stands = useStands().data ?? [];
  return (
    <div>
      <div style={{ background: palette.well, padding: 10 }}><Compared view={view} check={check} name={name} /></div>
      <Flex gap={10} align="center" wrap style={{ paddingTop: 8 }}>
        <Segmented size="small" aria-label="Light rig" value={view.rig} options={rigs.map(({ id, title }) => ({ value: id, label: title }))} onChange={(rig) => setView({ rig })} />
        <Segmented size="small" aria-label="Stand" value={view.stand} options={stands.map(({ id, title }) => ({ value: id, label: title }))} onChange={(stand) => setView({ stand })} />
        <Select size="small" aria-label="Turn of the light" value={view.turn} options={TURNS} style={{ width: 148 }} onChange={(turn) => setView({ turn })} />
        <Segmented size="small" aria-label="Comparison" value={view.shownAs} options={[...SHOWN_AS]} onChange={(shownAs) => setView({ shownAs })} />
        <span role="status" style={{ color: failure === undefined ? palette.faded : palette.ink, fontSize: 13 }}>{failure ?? (pending ? "being checked…" : "")}</span>
      </Flex>
    </div>
  );
}

function Compared({ view, check, name }: { view: BenchView; check: Check | undefined; name: string }) {
  const pictures = check?.pictures;
  if (view.shownAs === "divider" && pictures !== undefined) return <Divided original={pictures.original} converted={pictures.converted} name={name} />;
  if (view.shownAs === "blink" && pictures !== undefined) return <Blinking original={pictures.original} converted={pictures.converted} name={name} />;
  if (view.shownAs === "difference") {
    return <Flex gap={10} justify="center"><Captioned caption="difference"><PictureWell digest={pictures?.difference} label={`${name}, difference`} edge={ONE} /></Captioned><DifferenceScale /></Flex>;
  }
  return (
    <Flex gap={6} justify="center">
      <Captioned caption="original"><PictureWell digest={pictures?.original} label={`${name}, original`} edge="100%" /></Captioned>
      <Captioned caption="converted"><PictureWell digest={pictures?.converted} label={`${name}, converted`} edge="100%" /></Captioned>
      <Captioned caption="difference"><PictureWell digest={pictures?.difference} label={`${name}, difference`} edge="100%" /></Captioned>
      <DifferenceScale />
    </Flex>
  );
}

const ONE = 300;

function Captioned({ caption, children }: { caption: string; children: ReactNode }) {
  return (
    <figure style={{ margin: 0, flex: "0 1 300px", minWidth: 0 }}>
      {children}
      <figcaption style={{ color: "#fff", fontSize: 13, paddingTop: 4 }}>{caption}</figcaption>
    </figure>
  );
}

/** The colours of the difference picture, as the server draws it. */
function DifferenceScale() {
  return (
    <Flex gap={4} aria-label="Scale of the difference, ΔE2000 from 0 to 10" role="img" style={{ color: "#fff", fontSize: 12, marginBottom: 24 }} className="numbers">
      <span style={{ width: 10, background: "linear-gradient(to top, #121316, #29386b, #6b4d8c, #d4735c, #fadb8c)" }} />
      <Flex vertical justify="space-between">{[10, 7.5, 5, 2.5, 0].map((step) => <span key={step}>{step}</span>)}</Flex>
    </Flex>
  );
}

function Divided({ original, converted, name }: { original: string; converted: string; name: string }) {
  const [at, setAt] = useState(50);
  return (
    <div style={{ width: ONE, margin: "0 auto" }}>
      <div style={{ position: "relative", width: ONE, height: ONE }}>
        <PictureWell digest={converted} label={`${name}, converted`} edge={ONE} />
        <img src={fileUrl(original)} alt={`${name}, original`} style={{ position: "absolute", inset: 0, width: ONE, clipPath: `inset(0 ${100 - at}% 0 0)` }} />
        <span style={{ position: "absolute", top: 0, bottom: 0, left: `${at}%`, width: 1, background: "#fff" }} />
      </div>
      <Slider ariaLabelForHandle="Divider: original left, converted right" value={at} onChange={setAt} tooltip={{ open: false }} style={{ margin: "6px 0 0" }} />
    </div>
  );
}

function Blinking({ original, converted, name }: { original: string; converted: string; name: string }) {
  const [first, setFirst] = useState(true);
  useEffect(() => {
    const timer = setInterval(() => setFirst((shown) => !shown), BLINK);
    return () => clearInterval(timer);
  }, []);
  return (
    <Flex justify="center">
      <Captioned caption={first ? "original" : "converted"}>
        <div style={{ position: "relative", width: ONE, height: ONE }}>
          <PictureWell digest={converted} label={`${name}, converted`} edge={ONE} />
          <img src={fileUrl(original)} alt={`${name}, original`} style={{ position: "absolute", inset: 0, width: ONE, opacity: first ? 1 : 0 }} />
        </div>
      </Captioned>
    </Flex>
  );
}
