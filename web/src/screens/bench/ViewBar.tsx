import { Button, Flex, InputNumber, Segmented, Select } from "antd";
import type { Conversion } from "../../api/types";
import { Isolate } from "./Isolate";
import { LightChoice } from "./LightChoice";
import { StandChoice } from "./StandChoice";
import { SHOWN_AS, type BenchView, type SetView } from "./useBenchView";
import { MARKED, MARKS, MEASURES, type Measure } from "./viewer/pixels";
import type { ZoomActs } from "./viewer/useZoom";

interface Props {
  conversion: Conversion;
  project: number;
  view: BenchView;
  setView: SetView;
  acts: ZoomActs;
  full: boolean;
  toggleFull: () => void;
}

/** Light and stand, what is taken out, and how one looks at it. */
export function ViewBar({ conversion, project, view, setView, acts, full, toggleFull }: Props) {
  return (
    <div className="view-bar">
      <Flex gap={10} align="center" wrap>
        <LightChoice project={project} view={view} setView={setView} />
        <StandChoice project={project} view={view} setView={setView} />
        <Isolate conversion={conversion} view={view} setView={setView} />
      </Flex>
      <Flex gap={10} align="center" wrap>
        <Segmented
          size="small"
          aria-label="Comparison"
          value={view.shownAs}
          options={[...SHOWN_AS]}
          onChange={(shownAs) => setView({ shownAs })}
        />
        <Measured view={view} setView={setView} />
        <InputNumber
          size="small"
          className="numbers field-exposure"
          aria-label="Exposure for looking"
          value={view.stops}
          step={0.5}
          min={-10}
          max={10}
          suffix="EV"
          onChange={(stops) => setView({ stops: stops ?? 0 })}
        />
        <Select
          mode="multiple"
          size="small"
          className="field-marks"
          aria-label="Marks"
          placeholder="mark…"
          value={[...view.marks]}
          options={MARKS.map((mark) => ({ value: mark, label: mark, title: MARKED[mark].says }))}
          onChange={(marks) => setView({ marks })}
        />
        <Flex gap={4} className="end">
          <Button size="small" aria-label="Magnify" onClick={() => acts.about(2)}>
            +
          </Button>
          <Button size="small" aria-label="Shrink" onClick={() => acts.about(0.5)}>
            −
          </Button>
          <Button size="small" aria-pressed={full} onClick={toggleFull}>
            {full ? "Leave full screen" : "Full screen"}
          </Button>
        </Flex>
      </Flex>
    </div>
  );
}

/** How the difference is measured and scaled. */
function Measured({ view, setView }: Pick<Props, "view" | "setView">) {
  if (view.shownAs !== "difference" && view.shownAs !== "all three") return null;
  const { scales } = MEASURES[view.measure];
  return (
    <Flex gap={4}>
      <Select
        size="small"
        aria-label="Measure of the difference"
        value={view.measure}
        options={(Object.keys(MEASURES) as Measure[]).map((measure) => ({ value: measure, label: measure }))}
        onChange={(measure) => setView({ measure, most: MEASURES[measure].scales[0] })}
      />
      <Select
        size="small"
        aria-label="Scale of the difference"
        value={view.most}
        options={scales.map((most) => ({ value: most, label: `to ${most}` }))}
        onChange={(most) => setView({ most })}
      />
    </Flex>
  );
}
