import { App, Button, Flex, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useEdit, useFit } from "../../api/edits";
import { useMakeVariant, useShares } from "../../api/conversions";
import { useModels } from "../../api/knowledge";
import { useKeepPreset, usePresets } from "../../api/library";
import type { Conversion, Parameter } from "../../api/types";
import { NameDialog } from "../../parts/NameDialog";
import { presetOptions } from "../../parts/presetOptions";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { percent } from "../../parts/words";

const SECONDS = 8;

interface Props {
  conversion: Conversion;
  project: number;
  locked: ReadonlySet<string>;
}

/** Acts on the whole conversion: let the computer tune it, take every change back, compare targets, keep it as a preset. */
export function TuneBar({ conversion, project, locked }: Props) {
  const { message } = App.useApp();
  const go = useGo();
  const edit = useEdit(conversion, project);
  const fit = useFit(conversion, project);
  const complain = useComplaint();
  const error = useShares(conversion.id, conversion.version).data?.error;
  const changed = conversion.ledger.some((entry) => entry.override !== null);
  const fitTheRest = () =>
    fit.mutate([...locked], {
      onSuccess: (fitted) => void message.info(outcome(fitted), SECONDS),
      onError: complain,
    });
  return (
    <Flex gap={8} align="center" wrap className="end">
      {error !== undefined && (
        <span className="faded small">
          lobe error <span className="numbers ink">{percent(error)}</span>
        </span>
      )}
      <Button size="small" type="primary" loading={fit.isPending} onClick={fitTheRest}>
        Fit the rest{locked.size > 0 ? `, ${locked.size} locked` : ""}
      </Button>
      {changed && (
        <Button size="small" onClick={() => edit.mutate({ kind: "reset all" }, { onError: complain })}>
          Reset all
        </Button>
      )}
      <MakeVariant conversion={conversion} project={project} />
      <Button size="small" onClick={() => go(`/compare/${conversion.material_id}`)}>
        All targets
      </Button>
      {conversion.target === "open_pbr" && <NamedSurfaces conversion={conversion} project={project} />}
    </Flex>
  );
}

function outcome({ before, after, changed, free, tried }: Schemas["FitOut"]): string {
  const refused = tried
    .filter(({ objection }) => objection !== "")
    .map((trial) => `${told(trial)}: ${trial.objection}.`);
  const kept = tried.find(({ objection }) => objection === "");
  if (kept === undefined || changed.length === 0) {
    const nothing = `Nothing better was found than ${percent(before)}, with ${free.length} values free.`;
    return [nothing, ...refused].join(" ");
  }
  const found = `Lobe error ${percent(before)} → ${percent(after)}, begun ${told(kept)}, by ${changed.join(", ")}; no reading is worse.`;
  return [found, ...refused.map((objection) => `Not kept, begun ${objection}`)].join(" ");
}

/** From where a search began, and how far towards its end. */
function told({ start, way }: Schemas["TrialOut"]): string {
  return way < 1 ? `${start}, ${percent(way)} of the way` : start;
}

/** A second version under its own name, tuned beside the first. */
function MakeVariant({ conversion, project }: { conversion: Conversion; project: number }) {
  const [naming, setNaming] = useState(false);
  const make = useMakeVariant(conversion.id, project);
  const complain = useComplaint();
  const go = useGo();
  const send = (name: string) =>
    make.mutate(name, {
      onSuccess: (made) => {
        setNaming(false);
        go(`/bench/${made.id}${window.location.search}`);
      },
      onError: complain,
    });
  return (
    <>
      <Button size="small" onClick={() => setNaming(true)}>
        Make a variant
      </Button>
      {naming && (
        <NameDialog
          title="A second version, beside the first"
          label="Name of the variant"
          start={`${conversion.name}, variant ${conversion.variants.length + 1}`}
          ok="Make it"
          close={() => setNaming(false)}
          take={send}
          pending={make.isPending}
        />
      )}
    </>
  );
}

/** Lay a named surface over the conversion, or keep it as one. */
function NamedSurfaces({ conversion, project }: { conversion: Conversion; project: number }) {
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const presets = usePresets().data ?? [];
  const [naming, setNaming] = useState(false);
  const apply = (preset: string | null) => {
    if (preset !== null) edit.mutate({ kind: "preset", preset }, { onError: complain });
  };
  return (
    <>
      <Select
        aria-label="Apply a named surface"
        size="small"
        className="field-with-unit"
        placeholder="Apply a surface…"
        value={null}
        popupMatchSelectWidth={220}
        options={presetOptions(presets)}
        onChange={apply}
      />
      <Button size="small" onClick={() => setNaming(true)}>
        Keep as preset
      </Button>
      {naming && <KeepPreset conversion={conversion} close={() => setNaming(false)} />}
    </>
  );
}

function KeepPreset({ conversion, close }: { conversion: Conversion; close: () => void }) {
  const { message } = App.useApp();
  const keep = useKeepPreset();
  const complain = useComplaint();
  const parameters = useModels().data?.find((model) => model.id === conversion.target)?.parameters ?? [];
  const values = constants(conversion, parameters);
  const send = (name: string) =>
    keep.mutate(
      { name, says: `from ${conversion.name}`, color: "base_color", values },
      {
        onSuccess: () => {
          void message.success(`Kept as “${name}”. Start from it under Import.`);
          close();
        },
        onError: complain,
      },
    );
  return <NameDialog title="Keep as a named surface" label="Name of the preset" ok="Keep" close={close} take={send} />;
}

/** The target's constants; maps and what the pictures do not draw do not go into a preset. */
function constants(conversion: Conversion, parameters: Parameter[]): Record<string, unknown> {
  const kept = new Set(parameters.filter(({ undrawn }) => undrawn === "").map(({ name }) => name));
  const entries = conversion.ledger.flatMap((entry) => {
    const value = (entry.override ?? entry.derived)?.["constant"];
    return value === undefined || !kept.has(entry.target) ? [] : [[entry.target, value] as const];
  });
  return Object.fromEntries(entries);
}
