import { Segmented } from "antd";
import type { Act } from "../../api/acts";
import { useModels } from "../../api/knowledge";
import type { Target } from "../../api/types";
import { begun, formOf, FORMS } from "./acts";

interface Props {
  project: number;
  target: Target;
  act: Act;
  change: (act: Act) => void;
}

/** What is done to each. */
export function ActForm({ project, target, act, change }: Props) {
  const parameters = useModels().data?.find(({ id }) => id === target.model)?.parameters ?? [];
  const { Fields, says } = formOf(act.kind);
  return (
    <>
      <Segmented
        aria-label="What is done"
        orientation="vertical"
        value={act.kind}
        options={FORMS.map(({ label, empty }) => ({ value: empty.kind, label }))}
        onChange={(kind) => change(begun(kind, act))}
      />
      <span className="small faded">{says}</span>
      {Fields !== undefined && (
        <Fields project={project} target={target} parameters={parameters} act={act} change={change} />
      )}
    </>
  );
}
