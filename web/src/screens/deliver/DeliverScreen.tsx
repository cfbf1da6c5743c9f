import { Button, Checkbox, Flex } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { useDeliver } from "../../api/mutations";
import { useBoard, type Target } from "../../api/queries";
import { useComplaint } from "../../parts/useComplaint";
import { useTarget } from "../../parts/useTarget";
import { MaterialTable } from "./MaterialTable";
import { Plan } from "./Plan";
import { TargetChoice } from "./TargetChoice";
import { Written } from "./Written";

/** What will be written for which target, what it costs and loses, what does not match yet, and what was written. */
export function DeliverScreen({ project }: { project: number }) {
  const [target, choose, targets] = useTarget(project);
  const [search] = useSearchParams();
  const [chosen, setChosen] = useState<number[] | undefined>(search.get("materials")?.split(",").map(Number));
  const rows = useBoard(project, target).data ?? [];
  if (target === undefined) return null;
  const ids = chosen ?? rows.map((row) => row.material_id);
  return (
    <div className="screen screen-wide deliver">
      <section aria-label="Target">
        <TargetChoice project={project} target={target} targets={targets} choose={choose} />
        <WriteButton project={project} ids={ids} target={target} />
        <Plan project={project} target={target} ids={chosen} />
      </section>
      <section aria-label="Materials">
        <MaterialTable rows={rows} ids={ids} choose={setChosen} />
        <Written project={project} />
      </section>
    </div>
  );
}

function WriteButton({ project, ids, target }: { project: number; ids: number[]; target: Target }) {
  const [toFolder, setToFolder] = useState(false);
  const start = useDeliver(project, target, toFolder);
  const complain = useComplaint();
  return (
    <Flex gap={14} align="center" wrap className="write">
      <Button
        type="primary"
        disabled={ids.length === 0 || target.format === ""}
        loading={start.isPending}
        onClick={() => start.mutate(ids, { onError: complain })}
      >
        Write {ids.length} {ids.length === 1 ? "material" : "materials"}
      </Button>
      <Checkbox checked={toFolder} onChange={(event) => setToFolder(event.target.checked)}>
        into a folder of the server too
      </Checkbox>
    </Flex>
  );
}
