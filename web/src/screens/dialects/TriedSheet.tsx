import { Flex, Typography } from "antd";
import type { Tried } from "../../api/queries";
import { ColourChip } from "../../parts/ColourField";
import type { Rgb } from "../../parts/colour";
import { FindingList } from "../../parts/FindingList";
import { palette } from "../../theme";

/** What the sheet becomes: each material by the model's own names, and in OpenPBR; or why it cannot be read. */
export function TriedSheet({ tried }: { tried: Tried | undefined }) {
  return (
    <Flex vertical gap={8} style={{ minHeight: 0 }}>
      <Typography.Title level={5} style={{ margin: 0, lineHeight: "24px" }}>Result</Typography.Title>
      <div role="region" aria-label="Result" style={{ flex: 1, minHeight: 0, overflow: "auto", background: palette.sheet, border: `1px solid ${palette.rule}`, padding: 10, fontSize: 13 }}>
        {tried === undefined || (tried.materials.length === 0 && tried.refused === "") ? <p style={{ color: palette.faded, marginTop: 0 }}>{(tried?.problems.length ?? 0) > 0 ? "Correct the dialect to see what its materials become." : "Paste a sheet to see what its materials become."}</p> : null}
        {tried !== undefined && tried.refused !== "" && <p style={{ marginTop: 0 }}><strong>The sheet cannot be read.</strong> {tried.refused}</p>}
        {tried?.materials.map((material) => <Material key={material.name} material={material} />)}
        {tried !== undefined && tried.guesses.length > 0 && <Guesses guesses={tried.guesses} />}
      </div>
    </Flex>
  );
}

function Material({ material }: { material: Tried["materials"][number] }) {
  return (
    <div style={{ borderBottom: `1px solid ${palette.rule}`, paddingBottom: 8, marginBottom: 8 }}>
      <Flex gap={8} align="center">
        {material.colour != null && <ColourChip value={material.colour as Rgb} />}
        <strong>{material.name}</strong><span style={{ color: palette.faded }}>{material.model.replaceAll("_", " ")}</span>
      </Flex>
      <div style={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 12, marginTop: 4 }}>
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
      <div style={{ color: palette.accent }}>{title}</div>
      {Object.entries(values).map(([name, shown]) => <div key={name}><span style={{ color: palette.faded }}>{name}</span> <span className="numbers">{shown}</span></div>)}
    </div>
  );
}

function Guesses({ guesses }: { guesses: Tried["guesses"] }) {
  return (
    <div>
      <div style={{ color: palette.accent, marginBottom: 2 }}>Which dialect this sheet looks like</div>
      {guesses.map((guess) => (
        <div key={guess.id}><span className="numbers">{Math.round(100 * guess.confidence)} %</span> {guess.name} <span style={{ color: palette.faded }}>{guess.reasons.join("; ")}</span></div>
      ))}
    </div>
  );
}
