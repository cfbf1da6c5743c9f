import { Button } from "antd";
import { useEdit } from "../../api/edits";
import type { Conversion } from "../../api/types";
import { useComplaint } from "../../parts/useComplaint";
import { VerdictMark } from "../../parts/VerdictMark";

/** What of the source was not read, which keeps a match open, and the act of saying that it does not matter. */
export function Unread({ conversion, project }: { conversion: Conversion; project: number }) {
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const unread = conversion.findings.filter((finding) => finding.unread && !finding.accepted);
  if (unread.length === 0) return null;
  return (
    <section aria-label="Not read of the source" className="unread">
      <p className="decided">
        <VerdictMark verdict="undecided" label={false} /> not read of the source: {unread.length}
      </p>
      {unread.map((finding) => (
        <p key={`${finding.code} ${finding.message}`} className="small">
          {finding.message}
        </p>
      ))}
      <Button
        size="small"
        loading={edit.isPending}
        title="What looks like a match stays undecided until somebody says that this does not matter."
        onClick={() => edit.mutate({ kind: "accept unread" }, { onError: complain })}
      >
        Accept, it does not matter
      </Button>
    </section>
  );
}
