import { Button, Flex, Input, Select, Typography } from "antd";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, unwrap } from "../../api/client";
import { keys, usePresets, type Preset } from "../../api/queries";
import { ColourField } from "../../parts/ColourField";
import { rgbOf, type Rgb } from "../../parts/colour";
import { presetOptions } from "../../parts/presetOptions";
import { useAttempt } from "../../parts/useAttempt";
import { palette } from "../../theme";

/** Begin a material without a file: a named surface, and one colour. */
export function StartFromPreset({ project }: { project: number }) {
  const attempt = useAttempt();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const presets = usePresets().data ?? [];
  const [key, setKey] = useState<string>();
  const [name, setName] = useState("");
  const [color, setColor] = useState<Rgb>();
  const preset = presets.find((candidate) => candidate.id === key);
  const shown = color ?? (preset === undefined ? undefined : colourOf(preset));
  const start = () => attempt(async () => {
    if (preset === undefined) return;
    await unwrap(client.POST("/api/v1/projects/{project_id}/materials", {
      params: { path: { project_id: project } },
      body: { preset: preset.id, name: name.trim() === "" ? preset.name : name, color: shown ?? null, target: "metal_rough", profile: "extensions" },
    }));
    await queries.invalidateQueries({ queryKey: keys.projects });
    await navigate("/board?to=gltf");
  });
  return (
    <section aria-label="Start from a named surface">
      <Typography.Title level={5} style={{ margin: "6px 0" }}>Or start from a named surface</Typography.Title>
      <Flex gap={10} align="center" wrap>
        <Select
          aria-label="Named surface" showSearch={{ optionFilterProp: "label" }} placeholder="Choose one" value={key ?? null} style={{ width: 220 }}
          options={presetOptions(presets)}
          onChange={(chosen) => {
            setKey(chosen);
            setColor(undefined);
          }}
        />
        {preset !== undefined && <span style={{ color: palette.faded }}>{preset.says}</span>}
        {preset !== undefined && shown !== undefined && <ColourField label="Colour to start with" value={shown} onCommit={setColor} />}
        <Input aria-label="Name of the material" placeholder="Name of the material" value={name} style={{ width: 220 }} onChange={(event) => setName(event.target.value)} />
        <Button disabled={preset === undefined} onClick={() => void start()}>Start</Button>
      </Flex>
    </section>
  );
}

function colourOf(preset: Preset): Rgb | undefined {
  return rgbOf(preset.values[preset.color]);
}
