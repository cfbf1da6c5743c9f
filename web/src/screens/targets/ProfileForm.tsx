import { Checkbox, Flex, Input, Select, Typography } from "antd";
import type { ReactNode } from "react";
import { useModels } from "../../api/knowledge";
import type { Target, TargetProfile } from "../../api/types";
import { NumberField } from "../../parts/NumberField";
import { spaced } from "../../parts/words";
import { ExposedValues } from "./ExposedValues";

const EDGES = [0, 256, 512, 1024, 2048, 4096, 8192];
const ALPHA_MODES = ["opaque", "cut-out", "blended"];
const CULLINGS = ["as authored", "back", "none"] as const;

interface Props {
  stated: TargetProfile;
  targets: Target[];
  change: (stated: TargetProfile) => void;
}

/** Everything that a target profile says, in the order in which a delivery meets it. */
export function ProfileForm({ stated, targets, change }: Props) {
  const narrowed = targets.find(({ key }) => key === stated.target);
  const parameters = useModels().data?.find(({ id }) => id === narrowed?.model)?.parameters ?? [];
  const limits = (maps: Partial<TargetProfile["maps"]>) => change({ ...stated, maps: { ...stated.maps, ...maps } });
  return (
    <div className="profile-form">
      <Part title="What it is for">
        <Line label="Description">
          <Input
            aria-label="Description"
            size="small"
            maxLength={400}
            value={stated.says}
            onChange={(event) => change({ ...stated, says: event.target.value })}
          />
        </Line>
        <Line label="Based on">
          <Select
            aria-label="Based on"
            size="small"
            className="fill"
            value={stated.target}
            options={targets.flatMap(({ key, title, narrows }) =>
              narrows === "" ? [{ value: key, label: title }] : [],
            )}
            onChange={(target) => change({ ...stated, target, extensions: null, exposed: [] })}
          />
        </Line>
        {narrowed !== undefined && narrowed.extensions.length > 0 && (
          <Line label="Extensions">
            <Checkbox.Group
              className="extensions"
              value={stated.extensions ?? narrowed.extensions}
              options={narrowed.extensions.map((value) => ({
                value,
                label: spaced(value.replace(/^KHR_(materials_)?/, "")),
              }))}
              onChange={(extensions) => change({ ...stated, extensions })}
            />
          </Line>
        )}
      </Part>
      <Part title="Maps">
        <Line label="Maximum size">
          <Select
            aria-label="Maximum size"
            size="small"
            className="field"
            value={stated.maps.largest}
            options={EDGES.map((value) => ({ value, label: value === 0 ? "no limit" : `${value} texels` }))}
            onChange={(largest) => limits({ largest })}
          />
        </Line>
        <Line label="Shape">
          <Flex gap={14} wrap>
            <Tick label="square" on={stated.maps.square} set={(square) => limits({ square })} />
            <Tick
              label="powers of two"
              on={stated.maps.power_of_two}
              set={(power_of_two) => limits({ power_of_two })}
            />
          </Flex>
        </Line>
        <Line label="Files">
          <Flex gap={14} wrap>
            <Tick
              label="8 bits at most"
              on={stated.maps.bits === 8}
              set={(eight) => limits({ bits: eight ? 8 : 16 })}
            />
            <Tick label="colours as JPEG" on={stated.maps.lossy} set={(lossy) => limits({ lossy })} />
            <Tick label="flat colours in one texture" on={stated.maps.atlas} set={(atlas) => limits({ atlas })} />
          </Flex>
        </Line>
        <Line label="Memory of all, 0 for no limit">
          <NumberField
            label="Memory of all maps"
            value={stated.maps.total_megabytes}
            low={0}
            high={1e6}
            unit="MB"
            onCommit={(total_megabytes) => limits({ total_megabytes })}
          />
        </Line>
      </Part>
      <Part title="Faces and opacity">
        <Line label="Alpha modes">
          <Checkbox.Group
            value={stated.alpha_modes}
            options={ALPHA_MODES.map((value) => ({ value, label: value, disabled: value === "opaque" }))}
            onChange={(chosen) => change({ ...stated, alpha_modes: chosen as TargetProfile["alpha_modes"] })}
          />
        </Line>
        <Line label="Back-face culling">
          <Select
            aria-label="Back-face culling"
            size="small"
            className="field"
            value={stated.culling}
            options={CULLINGS.map((value) => ({ value }))}
            onChange={(culling) => change({ ...stated, culling })}
          />
        </Line>
      </Part>
      <Part title="Renderer response">
        <Line label="Emission shown too strong">
          <NumberField
            label="Emission shown too strong"
            value={stated.emission_response}
            low={0.05}
            high={20}
            unit="×"
            onCommit={(emission_response) => change({ ...stated, emission_response })}
          />
        </Line>
        <Line label="Metal shown too strong">
          <NumberField
            label="Metal shown too strong"
            value={stated.metal_response}
            low={0.05}
            high={20}
            unit="×"
            onCommit={(metal_response) => change({ ...stated, metal_response })}
          />
        </Line>
        <Line label="Display white, 0 where 1 is white">
          <NumberField
            label="Display white"
            value={stated.white_luminance}
            low={0}
            high={null}
            unit="cd/m²"
            onCommit={(white_luminance) => change({ ...stated, white_luminance })}
          />
        </Line>
      </Part>
      <Part title="Values that stay adjustable">
        <ExposedValues
          parameters={parameters.filter(({ kind }) => kind === "number" || kind === "colour")}
          exposed={stated.exposed}
          change={(exposed) => change({ ...stated, exposed })}
        />
      </Part>
    </div>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section aria-label={title} className="profile-part">
      <Typography.Title level={5} className="heading">
        {title}
      </Typography.Title>
      {children}
    </section>
  );
}

function Line({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="profile-field">
      <span className="faded small">{label}</span>
      <div>{children}</div>
    </div>
  );
}

function Tick({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <Checkbox checked={on} onChange={(event) => set(event.target.checked)}>
      {label}
    </Checkbox>
  );
}
