import { Typography } from "antd";
import type { ReactNode } from "react";
import type { Figures, Reading } from "../../api/types";
import { Plot } from "../../parts/Plot";
import { percent, short } from "../../parts/words";
import type { Look } from "./useLook";
import { useMetricsById } from "./useMetricsById";

/** Degrees from the middle of a highlight that its profile shows. */
const WIDEST = 40;

/** What decides nothing but is known to people: reflectance against angle, the highlight, gloss, FLIP. */
export function AlsoMeasured({ look }: { look: Look }) {
  const metrics = useMetricsById();
  const { figures } = look;
  const lines: [string, string, string][] = [...figures.readings, ...look.readings]
    .filter((reading) => reading.verdict === null)
    .map((reading) => {
      const metric = metrics.get(reading.metric);
      return [metric?.title ?? reading.metric, inWords(reading, metric?.unit ?? ""), metric?.says ?? ""];
    });
  return (
    <section aria-label="Also measured" className="also-measured" data-dimmed={look.stale}>
      <div className="plots">
        <Reflectance figures={figures} />
        <Highlight figures={figures} />
        <Gloss figures={figures} />
      </div>
      <dl className="facts">
        {[
          ...lines,
          [
            "lobe error, directions",
            percent(figures.lobe_error),
            "over directions of view and light, without a picture",
          ],
          ["samples", String(look.samples), "for each pixel that is measured"],
        ].map(([name, value, says]) => (
          <div key={name} className="fact">
            <dt className="faded" title={says}>
              {name}
            </dt>
            <dd className="numbers">{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

function inWords({ value, original, converted }: Reading, unit: string): string {
  if (original === null || converted === null) return `${short(value)}${unit === "" ? "" : ` ${unit}`}`;
  return `${short(original)} → ${short(converted)}${unit === "°" ? "°" : ""}`;
}

function Plotted({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div>
      <Typography.Text strong>{title}</Typography.Text>
      {children}
    </div>
  );
}

function Reflectance({ figures }: { figures: Figures }) {
  const title = "Reflectance against angle";
  return (
    <Plotted title={title}>
      <Plot
        label={title}
        at={figures.angles}
        original={figures.reflectance_original.map(luminance)}
        converted={figures.reflectance_converted.map(luminance)}
        ticks={[0, 30, 60, 90].filter(
          (tick) => tick >= (figures.angles[0] ?? 0) && tick <= (figures.angles.at(-1) ?? 0),
        )}
        unit="°"
        say={(value) => value.toFixed(2)}
      />
    </Plotted>
  );
}

function Highlight({ figures }: { figures: Figures }) {
  const shown = figures.profile_degrees.filter((degrees) => degrees <= WIDEST);
  const title = "Highlight from its middle";
  return (
    <Plotted title={title}>
      <Plot
        label={title}
        at={shown}
        original={figures.profile_original.slice(0, shown.length)}
        converted={figures.profile_converted.slice(0, shown.length)}
        ticks={[10, 20, 30, 40]}
        unit="°"
      />
    </Plotted>
  );
}

function Gloss({ figures }: { figures: Figures }) {
  const met = figures.readings.filter(({ metric }) => metric.startsWith("gloss_"));
  const angles = met.map(({ metric }) => Number(metric.slice("gloss_".length)));
  const title = "Gloss against angle";
  if (met.length === 0) return null;
  return (
    <Plotted title={title}>
      <Plot
        label={title}
        at={angles}
        original={met.map(({ original }) => original ?? 0)}
        converted={met.map(({ converted }) => converted ?? 0)}
        ticks={angles}
        unit="°"
      />
    </Plotted>
  );
}

function luminance(colour: number[]): number {
  const [red = 0, green = 0, blue = 0] = colour;
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}
