import { Button } from "antd";
import { useEdit } from "../../api/edits";
import type { Conversion } from "../../api/types";
import { FindingList } from "../../parts/FindingList";
import { useComplaint } from "../../parts/useComplaint";

/** What is odd about the original and the conversion; a remedy of one action enters the ledger. */
export function Findings({ conversion, project }: { conversion: Conversion; project: number }) {
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  const unread = conversion.findings.filter((finding) => finding.unread && !finding.accepted).length;
  return (
    <div>
      <FindingList
        findings={conversion.findings}
        remedy={({ code, parameter }) => edit.mutate({ kind: "remedy", code, parameter }, { onError: complain })}
      />
      {unread > 0 && (
        <Button
          size="small"
          loading={edit.isPending}
          title="A match is undecided as long as something of the source was not read, unless that does not matter."
          onClick={() => edit.mutate({ kind: "accept unread" }, { onError: complain })}
        >
          Accept what was not read ({unread})
        </Button>
      )}
    </div>
  );
}
