import { Button } from "antd";
import { useState } from "react";
import { useProjectRigs } from "../../api/surroundings";
import type { Conversion, OutsideCheck, Reading } from "../../api/types";
import { Tolerances } from "../../parts/Tolerances";
import { useGo } from "../../parts/useGo";
import { VerdictMark } from "../../parts/VerdictMark";
import { short, spaced } from "../../parts/words";
import type { BenchView } from "./useBenchView";
import type { Look } from "./useLook";
import { pairName } from "../outside/looks";
import { Unread } from "./Unread";
import { useMetricsById } from "./useMetricsById";

interface Props {
  conversion: Conversion;
  project: number;
  view: BenchView;
  look: Look;
}

/** The measured results: what decided, in words, and each reading against its limit. */
export function Readings({ conversion, project, view, look }: Props) {
  const [setting, setSetting] = useState(false);
  const { figures } = look;
  const decision = look.decision;
  return (
    <section aria-label="Measured results" className="sheet measured" data-dimmed={look.stale}>
      <Unread conversion={conversion} project={project} />
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
      <ByRig conversion={conversion} project={project} view={view} />
      {conversion.outside.length > 0 && <Outside checks={conversion.outside} />}
      <Button size="small" type="link" className="quiet" onClick={() => setSetting(true)}>
        Aim, rigs and tolerances
      </Button>
      {setting && <Tolerances project={project} close={() => setSetting(false)} />}
    </section>
  );
}

/** The readings that a verdict depends on, each against the most that a match may read. */
function Held({ title, readings }: { title: string; readings: Reading[] }) {
  const metrics = useMetricsById();
  const held = readings.filter((reading) => reading.verdict !== null);
  if (held.length === 0) return null;
  return (
    <table className="readings">
      <thead>
        <tr>
          <th>{title}</th>
          <th>measured</th>
          <th>limit</th>
        </tr>
      </thead>
      <tbody>
        {held.map((reading) => (
          <tr key={reading.metric}>
            <td title={metrics.get(reading.metric)?.says}>
              {reading.verdict !== null && <VerdictMark verdict={reading.verdict} label={false} />}{" "}
              {metrics.get(reading.metric)?.title ?? reading.metric}
            </td>
            <td className="numbers">
              {short(reading.value)}
              {reading.floor > 0 && (
                <span className="faded smaller" title="how much of it noise alone makes">
                  {" "}
                  ±{short(reading.floor)}
                </span>
              )}
            </td>
            <td className="numbers faded">≤{short(reading.match ?? 0)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Every rig's verdict; one that was not checked yet says so. */
function ByRig({ conversion, project, view }: Pick<Props, "conversion" | "project" | "view">) {
  const standing = new Map(
    conversion.checks
      .filter((check) => check.stand === view.stand && check.turn === view.turn)
      .map((check) => [check.rig, check.decision]),
  );
  return (
    <ul className="by-rig" aria-label="Verdicts by rig">
      {useProjectRigs(project).map(({ id, title }) => {
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

/** What another renderer showed of the two looks as they are now, of the kit that was compared last. */
function Outside({ checks }: { checks: OutsideCheck[] }) {
  const go = useGo();
  const newest = Math.max(...checks.map((check) => check.kit_id));
  const theirs = checks.filter((check) => check.kit_id === newest && check.second.by === "theirs");
  return (
    <>
      <ul className="by-rig" aria-label="Verdicts from outside">
        {theirs.map((check) => (
          <li key={pairName(check)} title={[check.decision.text, ...check.statements].join("; ")}>
            <VerdictMark verdict={check.decision.verdict} />
            <span className="faded">{pairName(check)}</span>
          </li>
        ))}
      </ul>
      <Button size="small" type="link" className="quiet" onClick={() => go(`/outside?kit=${newest}`)}>
        The pictures that came back
      </Button>
    </>
  );
}
