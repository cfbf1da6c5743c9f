import { Divider, Flex, Select, Slider } from "antd";
import { useRigs, type Rig } from "../../api/queries";
import { HandIn } from "./HandIn";
import type { BenchView, SetView } from "./useBenchView";

interface Props {
  project: number;
  view: BenchView;
  setView: SetView;
}

/** The rig, how far its light is turned, and how high its lamp stands where that can be moved. */
export function LightChoice({ project, view, setView }: Props) {
  const rigs = useRigs(project).data ?? [];
  const [id = "", height] = view.rig.split(":");
  const rig = rigs.find((candidate) => candidate.id === id);
  return (
    <Flex gap={8} align="center" wrap>
      <Select
        size="small"
        aria-label="Light rig"
        className="field"
        popupMatchSelectWidth={260}
        value={id}
        options={rigs.map((one) => ({ value: one.id, label: one.title, title: `${one.title}: ${one.says}` }))}
        onChange={(next) => setView({ rig: next })}
        popupRender={(menu) => (
          <>
            {menu}
            <Divider className="in-menu" />
            <HandIn
              project={project}
              accept=".exr,.hdr"
              label="Own surroundings (EXR, HDR)…"
              take={(next) => setView({ rig: next })}
            />
          </>
        )}
      />
      {rig?.heights != null && <LampHeight rig={rig} height={Number(height ?? rig.heights.usual)} setView={setView} />}
      <Turn turn={view.turn} set={(turn) => setView({ turn })} />
    </Flex>
  );
}

interface HeightProps {
  rig: Rig;
  height: number;
  setView: SetView;
}

/** By degrees above the ground, or by the hour of a day, which turns the light as well. */
function LampHeight({ rig, height, setView }: HeightProps) {
  const { lowest = 0, highest = 90, usual = 0 } = rig.heights ?? {};
  const named = (degrees: number) => (degrees === usual ? rig.id : `${rig.id}:${degrees}`);
  return (
    <Flex gap={8} align="center">
      <span className="small faded">height</span>
      <Slider
        ariaLabelForHandle="Height of the lamp in degrees"
        className="turn"
        min={lowest}
        max={highest}
        value={height}
        tooltip={{ open: false }}
        onChange={(degrees) => setView({ rig: named(degrees) })}
      />
      <span className="numbers small turn-value">{height}°</span>
      {rig.hours.length > 0 && (
        <Select
          size="small"
          aria-label="Hour of the day"
          placeholder="by the hour"
          value={null}
          options={rig.hours.map(({ hour, turn, height: up }) => ({ value: hour, label: clock(hour), turn, up }))}
          onChange={(hour: number | null) => {
            const chosen = rig.hours.find((one) => one.hour === hour);
            if (chosen !== undefined) setView({ rig: named(chosen.height), turn: chosen.turn });
          }}
        />
      )}
    </Flex>
  );
}

function clock(hour: number): string {
  return `${Math.floor(hour)}:${hour % 1 === 0 ? "00" : "30"}`;
}

/** The turn of the light, dragged; the pictures keep up. */
function Turn({ turn, set }: { turn: number; set: (turn: number) => void }) {
  return (
    <Flex gap={8} align="center">
      <span className="small faded">turned</span>
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
