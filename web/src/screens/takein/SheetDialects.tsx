import { Flex, Select } from "antd";
import { useChangeIntake } from "../../api/mutations";
import { useDialects, type Intake } from "../../api/queries";
import { useComplaint } from "../../parts/useComplaint";

/** For each parameter sheet of an intake, the dialect that it was read by; another one is one action away. */
export function SheetDialects({ intake }: { intake: Intake }) {
  const dialects = useDialects().data ?? [];
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  return intake.sheets.map((sheet) => (
    <Flex key={sheet.file} gap={10} align="center">
      <span>
        <strong>{sheet.file}</strong> <span className="faded">{sheet.says}</span>
      </span>
      <Select
        aria-label={`Dialect of ${sheet.file}`}
        size="small"
        className="field-wide end"
        placeholder="read by another dialect…"
        value={sheet.dialect === "" ? null : sheet.dialect}
        options={dialects.map(({ id, name }) => ({ value: id, label: name }))}
        onChange={(dialect: string | null) => {
          if (dialect !== null) change.mutate({ kind: "dialect", file: sheet.file, dialect }, { onError: complain });
        }}
      />
    </Flex>
  ));
}
