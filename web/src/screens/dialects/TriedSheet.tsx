import { Flex, Typography } from "antd";
import type { Tried } from "../../api/types";
import { ColourChip } from "../../parts/ColourField";
import { rgbOf } from "../../parts/colour";
import { FindingList } from "../../parts/FindingList";
import { spaced } from "../../parts/words";

/** What the sheet becomes: each material by the model's own names, and in OpenPBR; or why it cannot be read. */
export function TriedSheet({ tried }: { tried: Tried | undefined }) {
  return (
    <Flex vertical gap={8} className="column">
      <Flex align="center" className="column-head">
        <Typography.Title level={5} className="heading">
          Result
        </Typography.Title>
      </Flex>
      <div role="region" aria-label="Result" className="fill scrolled sheet small">
        {tried === undefined || (tried.materials.length === 0 && tried.refused === "") ? (
          <span className="faded">
            {(tried?.problems.length ?? 0) > 0
              ? "Correct the dialect to see what its materials become."
              : "Paste a sheet to see what its materials become."}
          </span>
        ) : null}
        {tried !== undefined && tried.refused !== "" && (
          <p>
            <strong>The sheet cannot be read.</strong> {tried.refused}
          </p>
        )}
        {tried?.materials.map((material) => (
          <Material key={material.name} material={material} />
        ))}
        {tried !== undefined && tried.guesses.length > 0 && <Guesses guesses={tried.guesses} />}
      </div>
    </Flex>
  );
}

function Material({ material }: { material: Tried["materials"][number] }) {
  const colour = rgbOf(material.colour);
  return (
    <div className="tried">
      <Flex gap={8} align="center">
        {colour !== undefined && <ColourChip value={colour} />}
        <strong>{material.name}</strong>
        <span className="faded">{spaced(material.model)}</span>
      </Flex>
      <div className="tried-values">
        <Values title="as read" values={material.values} />
        <Values title="in OpenPBR" values={material.converted} />
      </div>
      {material.findings.length > 0 && <FindingList findings={material.findings} />}
    </div>
  );
}

function Values({ title, values }: { title: string; values: Record<string, string> }) {
  return (
    <div>
      <div className="part-name">{title}</div>
      {Object.entries(values).map(([name, shown]) => (
        <div key={name}>
          <span className="faded">{name}</span> <span className="numbers">{shown}</span>
        </div>
      ))}
    </div>
  );
}

function Guesses({ guesses }: { guesses: Tried["guesses"] }) {
  return (
    <div>
      <div className="part-name">Which dialect this sheet looks like</div>
      {guesses.map((guess) => (
        <div key={guess.id}>
          <span className="numbers">{Math.round(100 * guess.confidence)} %</span> {guess.name}{" "}
          <span className="faded">{guess.reasons.join("; ")}</span>
        </div>
      ))}
    </div>
  );
}
