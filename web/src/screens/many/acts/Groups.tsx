import { Checkbox, Flex } from "antd";
import type { Parameter } from "../../../api/types";

interface Props {
  parameters: Parameter[];
  groups: string[];
  choose: (groups: string[]) => void;
}

/** Which optical groups of values an act is done to. */
export function Groups({ parameters, groups, choose }: Props) {
  const all = [...new Set(parameters.map(({ group }) => group))];
  const toggle = (group: string) =>
    choose(groups.includes(group) ? groups.filter((one) => one !== group) : [...groups, group]);
  return (
    <Flex gap={10} wrap role="group" aria-label="Groups of values">
      {all.map((group) => (
        <Checkbox key={group} checked={groups.includes(group)} onChange={() => toggle(group)}>
          {group}
        </Checkbox>
      ))}
    </Flex>
  );
}
