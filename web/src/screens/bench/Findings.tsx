import { useEdit } from "../../api/edits";
import type { Conversion } from "../../api/types";
import { FindingList } from "../../parts/FindingList";
import { useComplaint } from "../../parts/useComplaint";

/** What is odd about the original and the conversion; a remedy of one action enters the ledger. */
export function Findings({ conversion, project }: { conversion: Conversion; project: number }) {
  const edit = useEdit(conversion, project);
  const complain = useComplaint();
  return (
    <FindingList
      findings={conversion.findings}
      remedy={({ code, parameter }) => edit.mutate({ kind: "remedy", code, parameter }, { onError: complain })}
    />
  );
}
