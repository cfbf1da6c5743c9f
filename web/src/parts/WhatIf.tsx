import { Button, Drawer } from "antd";
import { useState } from "react";
import { useRehearse, type ActOf } from "../api/acts";
import { NO_QUESTION } from "../api/board";
import type { TargetRef } from "../api/types";
import { RehearsedAct } from "./RehearsedAct";
import { useComplaint } from "./useComplaint";

interface Props {
  project: number;
  target: TargetRef;
  act: ActOf<"profile" | "dialect">;
  disabled: boolean;
  /** It is being done, and what it began with is saved. */
  begun: () => void;
}

/** Shows what saving something would change on the board, before it is saved; and saves it. */
export function WhatIf({ project, target, act, disabled, begun }: Props) {
  const [open, setOpen] = useState(false);
  const rehearse = useRehearse(project, target);
  const complain = useComplaint();
  const all = { question: NO_QUESTION, without: [], total: 0 };
  const begin = () => rehearse.mutate({ act, selection: all }, { onSuccess: () => setOpen(true), onError: complain });
  const close = () => {
    setOpen(false);
    rehearse.reset();
  };
  return (
    <>
      <Button size="small" disabled={disabled} loading={rehearse.isPending} onClick={begin}>
        What would it change?
      </Button>
      <Drawer title="What saving it would change" open={open} onClose={close} size={900} destroyOnHidden>
        <RehearsedAct
          project={project}
          job={rehearse.data?.id}
          done={() => {
            close();
            begun();
          }}
        />
      </Drawer>
    </>
  );
}
