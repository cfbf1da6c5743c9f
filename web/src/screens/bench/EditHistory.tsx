import { Button, Empty, Flex, Modal } from "antd";
import { useDoOrUndo, useEdits } from "../../api/acts";
import type { Conversion } from "../../api/types";
import { Moment } from "../../parts/Moment";
import { useComplaint } from "../../parts/useComplaint";

interface Props {
  conversion: Conversion;
  project: number;
  close: () => void;
}

/** What was done to a conversion, by whom and when, newest first; an act on many is taken back as a whole. Mount it while it is open. */
export function EditHistory({ conversion, project, close }: Props) {
  const edits = useEdits(conversion.id, conversion.version).data ?? [];
  const { undo } = useDoOrUndo(project);
  const complain = useComplaint();
  return (
    <Modal title={`History of ${conversion.name}`} open onCancel={close} footer={null} width={620}>
      {edits.length === 0 && <Empty description="Every value stands as it was derived." />}
      <Flex vertical gap={10}>
        {edits.map((edit) => (
          <Flex key={edit.act_id} gap={12} align="baseline" className="ruled small">
            <span>
              <strong>{edit.by || "Fenrain"}</strong> <Moment at={edit.created} />
            </span>
            <span className="fill">{edit.said}</span>
            {edit.undone ? (
              <span className="faded">undone</span>
            ) : (
              <Button
                size="small"
                aria-label={`Undo: ${edit.said}`}
                onClick={() => undo.mutate(edit.act_id, { onError: complain })}
              >
                {edit.kind === "many" ? "Undo on all" : "Undo"}
              </Button>
            )}
          </Flex>
        ))}
      </Flex>
    </Modal>
  );
}
