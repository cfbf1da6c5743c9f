import { Segmented } from "antd";
import { useState } from "react";
import { fileUrl } from "../../api/client";
import type { KitDetail, OutsideCheck, OutsidePicture } from "../../api/types";
import { PictureWell } from "../../parts/PictureWell";
import { VerdictMark } from "../../parts/VerdictMark";
import { LearnedResponse } from "./LearnedResponse";
import { pairName, sideName } from "./looks";

const LARGE = "100%";

/** The pictures that came back: what is said of each, and how each material compares. */
export function CameBack({ project, kit }: { project: number; kit: KitDetail }) {
  const withTheirs = kit.checks.filter((check) => check.second.by === "theirs");
  const pairs = [...new Set([...withTheirs, ...kit.checks].map(pairName))];
  const [wanted, setWanted] = useState<string>();
  const pair = wanted !== undefined && pairs.includes(wanted) ? wanted : pairs[0];
  const [material, setMaterial] = useState<string>();
  const shown = kit.checks.filter((check) => pairName(check) === pair);
  const worst = [...shown].sort((a, b) => b.decision.excess - a.decision.excess);
  const chosen = shown.find((check) => check.material === material) ?? worst[0];
  if (kit.pictures.length === 0) {
    return (
      <p className="faded">
        Nothing came back yet. Unpack the kit, render it as its page says, and hand the picture in. Its reference cards
        tell camera and exposure; materials never do.
      </p>
    );
  }
  return (
    <>
      {kit.pictures.map((picture) => (
        <Picture key={picture.shows} project={project} kit={kit} picture={picture} />
      ))}
      {pair !== undefined && (
        <Segmented aria-label="Which looks are compared" value={pair} options={pairs} onChange={setWanted} />
      )}
      {chosen !== undefined && <Large check={chosen} />}
      {worst.length > 0 && (
        <table className="outside-table" aria-label="Compared materials">
          <thead>
            <tr>
              <th>Material</th>
              <th>Verdict</th>
              <th>Decided by</th>
              <th>What explains it</th>
            </tr>
          </thead>
          <tbody>
            {worst.map((check) => (
              <Row
                key={check.material}
                check={check}
                chosen={check === chosen}
                choose={() => setMaterial(check.material)}
              />
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Picture({ project, kit, picture }: { project: number; kit: KitDetail; picture: OutsidePicture }) {
  return (
    <section className="sheet" aria-label={`Picture of what is ${picture.shows}`}>
      <strong>{picture.name}</strong>{" "}
      <span className="faded small">
        shows the {picture.shows} materials
        {picture.compared ? (
          <>
            {" "}
            ·{" "}
            <span className="numbers">
              {picture.width} × {picture.height}
            </span>{" "}
            · read as {picture.space} · noise ΔE <span className="numbers">{picture.noise.toFixed(2)}</span> · marks lie
            within <span className="numbers">{picture.residual.toFixed(2)}</span> px
          </>
        ) : (
          " · being compared"
        )}
      </span>
      <ul className="list small">
        {picture.statements.map((statement) => (
          <li key={statement.code}>
            {statement.says} <span className="faded">{statement.matched ? "Matched." : "Not taken out."}</span>
          </li>
        ))}
      </ul>
      {picture.responses.map((response) => (
        <LearnedResponse key={response.of} project={project} kit={kit} response={response} />
      ))}
    </section>
  );
}

/** The two looks and their difference, as large as the page allows. */
function Large({ check }: { check: OutsideCheck }) {
  const sides = [
    [check.pictures.first, sideName(check.first)],
    [check.pictures.second, sideName(check.second)],
    [check.pictures.difference, "difference, ΔE 0–10"],
  ] as const;
  return (
    <div className="outside-pictures on-well">
      {sides.map(([digest, name]) => (
        <figure key={name} className="captioned">
          <PictureWell source={fileUrl(digest)} label={`${check.material}, ${name}`} edge={LARGE} />
          <figcaption>{name}</figcaption>
        </figure>
      ))}
    </div>
  );
}

function Row({ check, chosen, choose }: { check: OutsideCheck; chosen: boolean; choose: () => void }) {
  const says = check.decision.text.slice(check.decision.text.indexOf(": ") + 2);
  return (
    <tr data-selected={chosen}>
      <td>
        <button type="button" className="plain-button" aria-pressed={chosen} onClick={choose}>
          {check.material}
        </button>
        {!check.current && <span className="faded smaller block">converted otherwise since</span>}
      </td>
      <td>
        <VerdictMark verdict={check.decision.verdict} title={check.decision.text} />
      </td>
      <td className="small">{says}</td>
      <td className="small">{[...check.statements, ...check.decision.unseen].join(" ")}</td>
    </tr>
  );
}
