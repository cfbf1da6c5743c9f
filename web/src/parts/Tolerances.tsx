import { Button, Flex, InputNumber, Modal, Segmented, Select } from "antd";
import { useState } from "react";
import { useMetrics } from "../api/knowledge";
import { useChooseRigs, useProjects, useSetAim, useSetTolerances } from "../api/projects";
import { useRigs } from "../api/surroundings";
import type { Metric, Project } from "../api/types";
import { AIMS } from "./aims";
import { useComplaint } from "./useComplaint";

type Limits = Project["tolerances"];
const ANY_RIG = "*";

/**
 * Under which rigs everything is looked at, and what a match and near may read, for every rig or for one; what is measured is judged again by
 * it at once.
 */
export function Tolerances({ project, close }: { project: number; close: () => void }) {
  const known = useProjects().data?.find(({ id }) => id === project);
  return known === undefined ? null : <Form project={project} known={known} close={close} />;
}

function Form({ project, known, close }: { project: number; known: Project; close: () => void }) {
  const [limits, setLimits] = useState<Limits>(known.tolerances);
  const [chosen, setChosen] = useState(known.rigs);
  const [aim, setAim] = useState(known.aim);
  const choose = useChooseRigs(project);
  const saveAim = useSetAim(project);
  const [rig, setRig] = useState(ANY_RIG);
  const metrics = (useMetrics().data ?? []).filter((metric) => metric.limits !== null);
  const rigs = useRigs(project).data ?? [];
  const save = useSetTolerances(project);
  const complain = useComplaint();
  const set = (metric: string, next: { match: number; near: number } | undefined) => {
    const others = Object.fromEntries(Object.entries(limits[rig] ?? {}).filter(([id]) => id !== metric));
    setLimits({ ...limits, [rig]: next === undefined ? others : { ...others, [metric]: next } });
  };
  return (
    <Modal
      title="Aim, rigs and tolerances of this project"
      open
      onCancel={close}
      okText="Apply"
      confirmLoading={save.isPending}
      onOk={() => {
        if (aim !== known.aim) saveAim.mutate(aim, { onError: complain });
        const judge = () => save.mutate(limits, { onSuccess: close, onError: complain });
        if (chosen.join() === known.rigs.join()) judge();
        else choose.mutate(chosen, { onSuccess: judge, onError: complain });
      }}
      width={560}
    >
      <Flex vertical gap={10}>
        <Flex gap={10} align="center">
          <Segmented
            aria-label="Aim of new conversions"
            value={aim}
            options={AIMS.map((one) => one.aim)}
            onChange={setAim}
          />
          <span className="small faded">
            {AIMS.find((one) => one.aim === aim)?.says} For what is converted from now on; what is on the board is
            changed under Change many.
          </span>
        </Flex>
        <Select
          mode="multiple"
          aria-label="Rigs under which everything is looked at"
          value={chosen}
          options={rigs.map(({ id, title, says }) => ({ value: id, label: title, title: says }))}
          onChange={setChosen}
        />
        <p className="small faded">
          Everything is looked at under these rigs; convert again for what was not seen under a new one yet. The most
          that each reading may be for a match, and for near. Changing them judges what was measured again; nothing is
          rendered for it.
        </p>
        <Select
          aria-label="Rig"
          className="field"
          value={rig}
          onChange={setRig}
          options={[
            { value: ANY_RIG, label: "every rig" },
            ...rigs.map(({ id, title }) => ({ value: id, label: title })),
          ]}
        />
        <table className="readings tolerances">
          <thead>
            <tr>
              <th>Reading</th>
              <th>match</th>
              <th>near</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {metrics
              .filter((metric) => rig === ANY_RIG || metric.of === "pictures")
              .map((metric) => (
                <Row key={metric.id} metric={metric} limits={limits} rig={rig} set={(next) => set(metric.id, next)} />
              ))}
          </tbody>
        </table>
      </Flex>
    </Modal>
  );
}

interface RowProps {
  metric: Metric;
  limits: Limits;
  rig: string;
  set: (next: { match: number; near: number } | undefined) => void;
}

function Row({ metric, limits, rig, set }: RowProps) {
  const own = limits[rig]?.[metric.id];
  const standing = own ?? limits[ANY_RIG]?.[metric.id] ?? metric.limits ?? { match: 1, near: 1 };
  const change = (part: Partial<typeof standing>) => set({ ...standing, ...part });
  return (
    <tr>
      <td title={metric.says}>
        {metric.title} <span className="faded">{metric.unit}</span>
      </td>
      {(["match", "near"] as const).map((which) => (
        <td key={which}>
          <InputNumber
            size="small"
            className="numbers field-number"
            aria-label={`${metric.title}, ${which}`}
            value={standing[which]}
            min={0.01}
            step={0.1}
            status={standing.match > standing.near ? "error" : ""}
            onChange={(value) => value !== null && change({ [which]: value })}
          />
        </td>
      ))}
      <td>
        {own !== undefined && (
          <Button size="small" type="link" onClick={() => set(undefined)}>
            reset
          </Button>
        )}
      </td>
    </tr>
  );
}
