import { Button, Flex, Typography } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { useRehearse, type Act } from "../../api/acts";
import { countOf, NO_QUESTION, selectionOf, useBoard, type Selection } from "../../api/board";
import type { Target } from "../../api/types";
import { useComplaint } from "../../parts/useComplaint";
import { RehearsedAct } from "../../parts/RehearsedAct";
import { TargetSelect } from "../../parts/TargetSelect";
import { useTarget } from "../../parts/useTarget";
import { ActForm } from "./ActForm";
import { History } from "./History";
import { SavedActs } from "./SavedActs";
import { formOf } from "./acts";
import "./many.css";

/** One act on many materials: what it is, what it would change, doing it, and taking it back. */
export function ManyScreen({ project }: { project: number }) {
  const [target, chooseTarget, targets] = useTarget(project);
  if (target === undefined) return null;
  return (
    <div className="screen many">
      <Flex gap={12} align="center" className="many-head">
        <Typography.Title level={4} className="heading">
          Change many
        </Typography.Title>
        <TargetSelect target={target} targets={targets} choose={chooseTarget} />
      </Flex>
      <Many key={target.key} project={project} target={target} />
      <History project={project} />
    </div>
  );
}

function Many({ project, target }: { project: number; target: Target }) {
  const [search] = useSearchParams();
  const total = useBoard(project, target).data?.total ?? 0;
  const [chosen, setChosen] = useState<Selection | undefined>(selectionOf(search));
  const selection = chosen ?? { question: NO_QUESTION, without: [], total };
  const [act, setAct] = useState<Act>(formOf(search.get("kind")).empty);
  const rehearse = useRehearse(project, target);
  const complain = useComplaint();
  const change = (to: Act) => {
    setAct(to);
    rehearse.reset();
  };
  return (
    <>
      <section aria-label="What is changed" className="sheet many-act">
        <SavedActs
          project={project}
          selection={selection}
          act={act}
          load={(kept) => {
            change(kept.act);
            const { without, ...question } = kept.question;
            setChosen({ question, without, total });
          }}
        />
        <ActForm project={project} target={target} act={act} change={change} />
        <Button
          type="primary"
          disabled={!formOf(act.kind).isComplete(act) || countOf(selection) === 0}
          loading={rehearse.isPending}
          onClick={() => rehearse.mutate({ act, selection }, { onError: complain })}
        >
          Rehearse it on {countOf(selection)}
        </Button>
        <span className="faded small">Nothing is changed by that.</span>
      </section>
      <RehearsedAct project={project} job={rehearse.data?.id} done={() => rehearse.reset()} />
    </>
  );
}
