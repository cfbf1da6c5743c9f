import { Flex, Select, Slider } from "antd";
import { useRigs } from "../../api/surroundings";
import type { Rig } from "../../api/types";
import { NamedChoice } from "./NamedChoice";
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
      <NamedChoice
        label="Light rig"
        value={id}
        choices={rigs}
        choose={(next) => setView({ rig: next })}
        project={project}
        accept=".exr,.hdr"
        own="Own surroundings (EXR, HDR)…"
      />
      {rig?.heights != null && <LampHeight rig={rig} height={Number(height ?? rig.heights.usual)} setView={setView} />}
      <Degrees
        says="turned"
        label="Turn of the light in degrees"
        min={0}
        max={355}
        step={5}
        value={view.turn}
        set={(turn) => setView({ turn })}
      />
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
      <Degrees
        says="height"
        label="Height of the lamp in degrees"
        min={lowest}
        max={highest}
        step={1}
        value={height}
        set={(degrees) => setView({ rig: named(degrees) })}
      />
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

interface DegreesProps {
  says: string;
  label: string;
  min: number;
  max: number;
  step: number;
  value: number;
  set: (degrees: number) => void;
}

/** An angle of the light, dragged; the pictures keep up. */
function Degrees({ says, label, min, max, step, value, set }: DegreesProps) {
  return (
    <Flex gap={8} align="center">
      <span className="small faded">{says}</span>
      <Slider
        ariaLabelForHandle={label}
        className="turn"
        min={min}
        max={max}
        step={step}
        value={value}
        tooltip={{ open: false }}
        onChange={set}
      />
      <span className="numbers small turn-value">{value}°</span>
    </Flex>
  );
}
