import { Button, Checkbox, Flex, Popover, Select } from "antd";
import type { Conversion } from "../../api/types";
import { ASPECTS } from "../../parts/aspects";
import { spaced } from "../../parts/words";
import { isWhole, type BenchView, type SetView } from "./useBenchView";

interface Props {
  conversion: Conversion;
  view: BenchView;
  setView: SetView;
}

/** What is taken out or shown alone, on both sides at once. */
export function Isolate({ conversion, view, setView }: Props) {
  const whole = isWhole(view);
  return (
    <Popover
      trigger="click"
      placement="topLeft"
      title="On both sides at once"
      content={<Choices conversion={conversion} view={view} setView={setView} />}
    >
      <Button size="small" type={whole ? "default" : "primary"} aria-label="Isolate">
        {whole ? "Isolate…" : inWords(view)}
      </Button>
    </Popover>
  );
}

function inWords({ only, without, alone, against }: BenchView): string {
  if (against !== undefined) return "two variants";
  if (alone !== undefined) return `${spaced(alone[0])} alone`;
  const said = only.length > 0 ? [`only ${only.join(", ")}`] : [];
  return [...said, ...without.map((name) => `without ${spaced(name)}`)].join("; ");
}

function Choices({ conversion, view, setView }: Props) {
  const inputs = conversion.source_values.map(({ name }) => name);
  const pairs = mapPairs(conversion);
  return (
    <Flex vertical gap={10} className="isolate">
      <fieldset className="plain">
        <legend className="small faded">Aspects that are shown; none chosen shows all</legend>
        <Checkbox.Group
          options={ASPECTS.filter((aspect) => !["relief", "cut-out", "volume"].includes(aspect))}
          value={[...view.only]}
          onChange={(only) => setView({ only, alone: undefined })}
        />
      </fieldset>
      <Select
        mode="multiple"
        size="small"
        aria-label="Inputs that are taken out"
        placeholder="Inputs of the original that are taken out"
        value={[...view.without]}
        options={inputs.map((name) => ({ value: name, label: spaced(name) }))}
        onChange={(without) => setView({ without, alone: undefined })}
      />
      <Select
        size="small"
        allowClear
        aria-label="One value alone"
        placeholder="One value alone, as it lies on the stand"
        value={view.alone?.join(" → ") ?? null}
        options={pairs.map((pair) => ({ value: pair.join(" → "), label: pair.map(spaced).join(" → ") }))}
        onChange={(chosen: string | null) =>
          setView({ alone: pairs.find((pair) => pair.join(" → ") === chosen), only: [], without: [] })
        }
      />
      {conversion.variants.length > 1 && (
        <Select
          size="small"
          allowClear
          aria-label="Compare with"
          placeholder="Compare with another variant"
          value={view.against ?? null}
          options={conversion.variants
            .filter(({ conversion_id }) => conversion_id !== conversion.id)
            .map(({ conversion_id, name }) => ({ value: conversion_id, label: name }))}
          onChange={(against: number | null) => setView({ against: against ?? undefined, alone: undefined })}
        />
      )}
      <Button size="small" onClick={() => setView({ only: [], without: [], alone: undefined, against: undefined })}>
        Show all again
      </Button>
    </Flex>
  );
}

/** A value of the original with a value of the target that comes from it. */
function mapPairs(conversion: Conversion): (readonly [string, string])[] {
  return conversion.ledger.flatMap((entry) =>
    entry.target === "" ? [] : entry.sources.map((source) => [source, entry.target] as const),
  );
}
