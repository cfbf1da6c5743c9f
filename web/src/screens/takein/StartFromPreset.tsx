import { Button, Flex, Input, Popconfirm, Select, Typography } from "antd";
import { useState } from "react";
import { useOwnPreset, usePresets, useStartFromPreset } from "../../api/library";
import type { Preset } from "../../api/types";
import { NEWEST_FIRST } from "../../api/board";
import { ColourField } from "../../parts/ColourField";
import { rgbOf, type Rgb } from "../../parts/colour";
import { NameDialog } from "../../parts/NameDialog";
import { presetOptions } from "../../parts/presetOptions";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { useTarget } from "../../parts/useTarget";

/** Begin a material without a file: a named surface, and one colour. */
export function StartFromPreset({ project }: { project: number }) {
  const [target] = useTarget(project);
  const go = useGo();
  const presets = usePresets().data ?? [];
  const starting = useStartFromPreset(project);
  const complain = useComplaint();
  const [key, setKey] = useState<string>();
  const [name, setName] = useState("");
  const [color, setColor] = useState<Rgb>();
  const preset = presets.find((candidate) => candidate.id === key);
  const shown = color ?? (preset === undefined ? undefined : colourOf(preset));
  const start = (from: Preset) =>
    starting.mutate(
      {
        preset: from.id,
        name: name.trim() === "" ? from.name : name,
        color: shown ?? null,
        target: target?.model ?? "",
        profile: target?.profile ?? "",
      },
      { onSuccess: () => go(`/board?to=${target?.key ?? ""}&${NEWEST_FIRST}`), onError: complain },
    );
  return (
    <section aria-label="Start from a named surface">
      <Typography.Title level={5}>Or start from a named surface</Typography.Title>
      <Flex gap={10} align="center" wrap>
        <Select
          aria-label="Named surface"
          className="field-wide"
          showSearch={{ optionFilterProp: "label" }}
          placeholder="Choose one"
          value={key ?? null}
          options={presetOptions(presets)}
          onChange={(chosen) => {
            setKey(chosen);
            setColor(undefined);
          }}
        />
        {preset !== undefined && <span className="faded">{preset.says}</span>}
        {preset !== undefined && shown !== undefined && (
          <ColourField label="Colour to start with" value={shown} onCommit={setColor} />
        )}
        <Input
          aria-label="Name of the material"
          className="field-wide"
          placeholder="Name of the material"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button
          disabled={preset === undefined || target === undefined}
          onClick={() => preset !== undefined && start(preset)}
        >
          Start
        </Button>
        {preset?.own === true && <OwnPreset preset={preset} gone={() => setKey(undefined)} />}
      </Flex>
    </section>
  );
}

/** Rename a surface that somebody saved, or delete it. */
function OwnPreset({ preset, gone }: { preset: Preset; gone: () => void }) {
  const { rename, remove } = useOwnPreset();
  const complain = useComplaint();
  const [naming, setNaming] = useState(false);
  const { id, says } = preset;
  return (
    <>
      <Button onClick={() => setNaming(true)}>Rename…</Button>
      <Popconfirm
        title={`Delete “${preset.name}”? What was started from it stays.`}
        onConfirm={() => remove.mutate(id, { onSuccess: gone, onError: complain })}
      >
        <Button>Delete</Button>
      </Popconfirm>
      {naming && (
        <NameDialog
          title="Rename the named surface"
          label="Its name"
          start={preset.name}
          ok="Rename"
          pending={rename.isPending}
          close={() => setNaming(false)}
          take={(name) =>
            rename.mutate({ key: id, name, says }, { onSuccess: () => setNaming(false), onError: complain })
          }
        />
      )}
    </>
  );
}

function colourOf(preset: Preset): Rgb | undefined {
  return rgbOf(preset.values[preset.color]);
}
