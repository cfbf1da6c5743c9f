import { Button, Flex, Select } from "antd";
import { useState } from "react";
import { useSaveAct, useSavedActs, type Act, type SavedAct } from "../../api/acts";
import type { Selection } from "../../api/board";
import { NameDialog } from "../../parts/NameDialog";
import { useComplaint } from "../../parts/useComplaint";
import { formOf } from "./acts";

interface Props {
  project: number;
  selection: Selection;
  act: Act;
  load: (kept: SavedAct) => void;
}

/** Acts that are done again on the next delivery: which materials, and what. */
export function SavedActs({ project, selection, act, load }: Props) {
  const kept = useSavedActs(project).data ?? [];
  const { keep, forget } = useSaveAct(project);
  const complain = useComplaint();
  const [naming, setNaming] = useState(false);
  const [loaded, setLoaded] = useState<number>();
  const take = (name: string) => {
    if (!("question" in selection)) return;
    keep.mutate({ name, question: selection.question, act }, { onSuccess: () => setNaming(false), onError: complain });
  };
  return (
    <Flex gap={8} align="center" wrap>
      <Select
        aria-label="Saved acts"
        className="field-wide"
        placeholder={kept.length === 0 ? "No saved act yet" : "A saved act…"}
        value={loaded ?? null}
        options={kept.map(({ id, name, words }) => ({ value: id, label: name, title: words }))}
        onChange={(id) => {
          setLoaded(id);
          const found = kept.find((one) => one.id === id);
          if (found !== undefined) load(found);
        }}
      />
      {loaded !== undefined && (
        <Button
          size="small"
          type="text"
          onClick={() => forget.mutate(loaded, { onSuccess: () => setLoaded(undefined), onError: complain })}
        >
          Delete
        </Button>
      )}
      <Button
        size="small"
        disabled={!formOf(act.kind).isComplete(act) || !("question" in selection)}
        title={"question" in selection ? "" : "Materials that were picked by hand are not those of the next delivery."}
        onClick={() => setNaming(true)}
      >
        Save it…
      </Button>
      {naming && (
        <NameDialog
          title="Save this act"
          label="What it is for"
          ok="Keep"
          close={() => setNaming(false)}
          take={take}
          pending={keep.isPending}
        />
      )}
    </Flex>
  );
}
