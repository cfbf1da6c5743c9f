import { Typography } from "antd";
import type { Reading } from "../../api/queries";
import { percent, short } from "../../parts/words";
import { AnglePlot } from "./AnglePlot";
import type { Look } from "./useLook";
import { useMetricsById } from "./useMetricsById";

/** What decides nothing but is known to people: reflectance against angle, gloss, highlight, FLIP. */
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
      <div>
        <Typography.Text strong>Reflectance against angle</Typography.Text>
        <AnglePlot
          angles={figures.angles}
          original={figures.reflectance_original}
          converted={figures.reflectance_converted}
        />
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
