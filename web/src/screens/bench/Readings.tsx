import { Button, Typography } from "antd";
import { useState } from "react";
import { useMetrics, useRigs, type Conversion, type Metric, type Reading } from "../../api/queries";
import { Tolerances } from "../../parts/Tolerances";
import { VerdictMark } from "../../parts/VerdictMark";
import { percent, spaced } from "../../parts/words";
import { AnglePlot } from "./AnglePlot";
import type { BenchView } from "./useBenchView";
import type { Look } from "./useLook";

interface Props {
  conversion: Conversion;
  project: number;
  view: BenchView;
  look: Look;
}

/** The measured results: what decided, in words, each reading against its limit, and reflectance against angle. */
export function Readings({ conversion, project, view, look }: Props) {
  const [setting, setSetting] = useState(false);
  const { figures } = look;
  const decision = look.decision;
  return (
    <section aria-label="Measured results" className="sheet measured" data-dimmed={look.stale}>
      <p className="decided">
        {decision === undefined ? (
          <span className="faded">{spaced(view.rig)}: not measured yet</span>
        ) : (
          <>
            <VerdictMark verdict={decision.verdict} label={false} /> {decision.text}
            <span className="faded"> ({spaced(view.rig)})</span>
          </>
        )}
      </p>
      {decision?.unseen.map((line) => (
        <p key={line} className="small">
          {line}
        </p>
      ))}
      <Held title={spaced(view.rig)} readings={look.readings} />
      <Held title="without pictures" readings={figures.readings} />
      <ByRig conversion={conversion} view={view} />
      <Shown readings={[...figures.readings, ...look.readings]} samples={look.samples} error={figures.lobe_error} />
      <Typography.Text strong>Reflectance against angle</Typography.Text>
      <AnglePlot
        angles={figures.angles}
        original={figures.reflectance_original}
        converted={figures.reflectance_converted}
      />
      <Button size="small" type="link" className="quiet" onClick={() => setSetting(true)}>
        Tolerances of this project
      </Button>
      {setting && <Tolerances project={project} close={() => setSetting(false)} />}
    </section>
  );
}

/** The readings that a verdict hangs on, each against the most that a match may read. */
function Held({ title, readings }: { title: string; readings: Reading[] }) {
  const metrics = useTitles();
  const held = readings.filter((reading) => reading.verdict !== null);
  if (held.length === 0) return null;
  return (
    <table className="readings">
      <thead>
        <tr>
          <th>{title}</th>
          <th>reads</th>
          <th>noise</th>
          <th>match</th>
        </tr>
      </thead>
      <tbody>
        {held.map((reading) => (
          <tr key={reading.metric}>
            <td title={metrics.get(reading.metric)?.says}>
              {reading.verdict !== null && <VerdictMark verdict={reading.verdict} label={false} />}{" "}
              {metrics.get(reading.metric)?.title ?? reading.metric}
            </td>
            <td className="numbers">{short(reading.value)}</td>
            <td className="numbers faded">{reading.floor > 0 ? `± ${short(reading.floor)}` : ""}</td>
            <td className="numbers faded">≤ {short(reading.match ?? 0)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Every rig's verdict; one that was not checked yet says so. */
function ByRig({ conversion, view }: { conversion: Conversion; view: BenchView }) {
  const standing = new Map(
    conversion.checks
      .filter((check) => check.stand === view.stand && check.turn === view.turn)
      .map((check) => [check.rig, check.decision]),
  );
  return (
    <ul className="by-rig" aria-label="Verdicts by rig">
      {(useRigs().data ?? []).map(({ id, title }) => {
        const decision = standing.get(id);
        return (
          <li key={id} title={decision?.text}>
            {decision ? <VerdictMark verdict={decision.verdict} /> : <span className="faded">not checked yet</span>}
            <span className="faded">{title}</span>
          </li>
        );
      })}
    </ul>
  );
}

/** What decides nothing but is known to people: gloss, highlight, FLIP. */
function Shown({ readings, samples, error }: { readings: Reading[]; samples: number; error: number }) {
  const metrics = useTitles();
  const lines: [string, string, string][] = readings
    .filter((reading) => reading.verdict === null)
    .map((reading) => {
      const metric = metrics.get(reading.metric);
      return [metric?.title ?? reading.metric, inWords(reading, metric?.unit ?? ""), metric?.says ?? ""];
    });
  return (
    <dl className="facts">
      {[
        ...lines,
        ["lobe error, directions", percent(error), "over directions of view and light, without a picture"],
        ["samples", String(samples), "for each pixel that is measured"],
      ].map(([name, value, says]) => [
        <dt key={name} className="faded" title={says}>
          {name}
        </dt>,
        <dd key={`${name} value`} className="numbers">
          {value}
        </dd>,
      ])}
    </dl>
  );
}

function inWords({ value, original, converted }: Reading, unit: string): string {
  if (original === null || converted === null) return `${short(value)}${unit === "" ? "" : ` ${unit}`}`;
  return `${short(original)} → ${short(converted)}${unit === "°" ? "°" : ""}`;
}

/** Three digits that tell: 0.04, 1.25, 12.3, 124. */
function short(value: number): string {
  const size = Math.abs(value);
  return value.toFixed(size >= 100 ? 0 : size >= 10 ? 1 : 2);
}

function useTitles(): ReadonlyMap<string, Metric> {
  return new Map((useMetrics().data ?? []).map((metric) => [metric.id, metric]));
}
