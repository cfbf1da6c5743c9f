import { Button, Table, Typography } from "antd";
import { useActs, useDoOrUndo, type PastAct } from "../../api/acts";
import { Moment } from "../../parts/Moment";
import { useComplaint } from "../../parts/useComplaint";

/** What was done in the project, newest first; each act is taken back as a whole. */
export function History({ project }: { project: number }) {
  const acts = useActs(project);
  const { undo } = useDoOrUndo(project);
  const complain = useComplaint();
  return (
    <section aria-label="History" className="many-history">
      <Typography.Title level={5} className="heading">
        History
      </Typography.Title>
      <Table<PastAct>
        size="small"
        rowKey="id"
        loading={acts.isPending}
        dataSource={acts.data ?? []}
        pagination={{ pageSize: 8, hideOnSinglePage: true, showSizeChanger: false }}
        columns={[
          { title: "when", width: 190, render: (_, { created }) => <Moment at={created} /> },
          { title: "who", dataIndex: "by", width: 130 },
          { title: "what", dataIndex: "title" },
          { title: "materials", width: 90, render: (_, { edits }) => <span className="numbers">{edits}</span> },
          {
            title: "",
            width: 110,
            align: "right",
            render: (_, act) =>
              act.undone ? (
                <span className="faded small">undone</span>
              ) : (
                <Button
                  size="small"
                  disabled={act.edits === 0 || !act.undoable}
                  aria-label={`Undo: ${act.title}`}
                  onClick={() => undo.mutate(act.id, { onError: complain })}
                >
                  Undo
                </Button>
              ),
          },
        ]}
      />
    </section>
  );
}
