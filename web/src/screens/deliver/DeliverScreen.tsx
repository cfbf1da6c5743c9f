import { Button, Checkbox, Flex } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { bodyOf, countOf, NO_QUESTION, selectionOf, useBoard, type Selection } from "../../api/board";
import { useDeliver, usePlan } from "../../api/deliveries";
import type { Target } from "../../api/types";
import { useComplaint } from "../../parts/useComplaint";
import { useTarget } from "../../parts/useTarget";
import { MaterialTable } from "./MaterialTable";
import { Plan } from "./Plan";
import { TargetChoice } from "./TargetChoice";
import { Written } from "./Written";
import "./deliver.css";

/** What will be written for which target, what it costs and loses, what does not match yet, and what was written. */
export function DeliverScreen({ project }: { project: number }) {
  const [target, choose, targets] = useTarget(project);
  if (target === undefined) return null;
  return (
    <div className="screen screen-wide deliver">
      <Delivery project={project} target={target}>
        <TargetChoice project={project} target={target} targets={targets} choose={choose} />
      </Delivery>
    </div>
  );
}

function Delivery({ project, target, children }: { project: number; target: Target; children: React.ReactNode }) {
  const [search] = useSearchParams();
  const [chosen, setChosen] = useState<Selection | undefined>(selectionOf(search));
  const total = useBoard(project, target).data?.total ?? 0;
  const selection = chosen ?? { question: NO_QUESTION, without: [], total };
  const plan = usePlan(project, target, bodyOf(selection)).data;
  return (
    <>
      <section aria-label="Target">
        {children}
        <WriteButton project={project} selection={selection} target={target} />
        {plan !== undefined && <Plan plan={plan} />}
      </section>
      <section aria-label="Materials">
        <MaterialTable {...{ project, target, plan, selection }} choose={setChosen} />
        <Written project={project} />
      </section>
    </>
  );
}

function WriteButton({ project, selection, target }: { project: number; selection: Selection; target: Target }) {
  const [toFolder, setToFolder] = useState(false);
  const start = useDeliver(project, target, toFolder);
  const complain = useComplaint();
  const count = countOf(selection);
  return (
    <Flex gap={14} align="center" wrap className="write">
      <Button
        type="primary"
        disabled={count === 0 || target.format === ""}
        loading={start.isPending}
        onClick={() => start.mutate(selection, { onError: complain })}
      >
        Write {count} {count === 1 ? "material" : "materials"}
      </Button>
      <Checkbox checked={toFolder} onChange={(event) => setToFolder(event.target.checked)}>
        into a folder of the server too
      </Checkbox>
    </Flex>
  );
}
