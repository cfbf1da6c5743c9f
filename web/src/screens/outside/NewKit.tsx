import { Button, Flex, InputNumber, Select } from "antd";
import { useState } from "react";
import { bodyOf, countOf, type Selection } from "../../api/board";
import { useMakeKit } from "../../api/outside";
import { useRigs, useStands } from "../../api/surroundings";
import { useComplaint } from "../../parts/useComplaint";
import { targetOptions, useTarget } from "../../parts/useTarget";

interface Props {
  project: number;
  selection: Selection;
  done: () => void;
}

/** How a kit of chosen materials is to be made: for which target, under which light, on which stand. */
export function NewKit({ project, selection, done }: Props) {
  const [target, chooseTarget, targets] = useTarget(project);
  const [rig, setRig] = useState("soft_studio");
  const [stand, setStand] = useState("sphere");
  const [turn, setTurn] = useState(0);
  const rigs = useRigs(project).data ?? [];
  const stands = useStands(project).data ?? [];
  const make = useMakeKit(project);
  const complain = useComplaint();
  if (target === undefined) return null;
  const count = countOf(selection);
  const wish = { ...bodyOf(selection), target: target.model, profile: target.profile, rig, stand, turn };
  return (
    <div className="sheet new-kit" role="group" aria-label="New check kit">
      <strong>
        New kit of <span className="numbers">{count}</span>{" "}
        {count === 1 ? "material, on its stand" : "materials, in one picture"}
      </strong>
      <label>
        Target
        <Select
          size="small"
          aria-label="Target"
          value={target.key}
          options={targetOptions(targets)}
          onChange={chooseTarget}
        />
      </label>
      <label>
        Light
        <Select
          size="small"
          aria-label="Light"
          value={rig}
          options={rigs.map(({ id, title }) => ({ value: id, label: title }))}
          onChange={setRig}
        />
      </label>
      <label>
        Turned by
        <InputNumber
          size="small"
          aria-label="Turn of the light"
          min={-360}
          max={360}
          value={turn}
          suffix="°"
          onChange={(value) => setTurn(value ?? 0)}
        />
      </label>
      <label>
        Stand
        <Select
          size="small"
          aria-label="Stand"
          value={stand}
          options={stands.map(({ id, title }) => ({ value: id, label: title }))}
          onChange={setStand}
        />
      </label>
      <Flex gap={8}>
        <Button
          size="small"
          type="primary"
          loading={make.isPending}
          onClick={() => make.mutate(wish, { onSuccess: done, onError: complain })}
        >
          Make the kit
        </Button>
        <Button size="small" type="text" onClick={done}>
          Leave it
        </Button>
      </Flex>
    </div>
  );
}
