import { Flex, Select } from "antd";
import { client, unwrap } from "../../api/client";
import { useDialects, type Intake } from "../../api/queries";
import { useAttempt } from "../../parts/useAttempt";
import { palette } from "../../theme";

/** For each parameter sheet of an intake, the dialect that it was read by; another one is one action away. */
export function SheetDialects({ intake, change }: { intake: Intake; change: (intake: Intake) => void }) {
  const attempt = useAttempt();
  const dialects = useDialects().data ?? [];
  const spoken = new Set([...intake.found, ...intake.errors].map(({ file }) => file));
  const sheets = intake.files.filter((file) => /\.(json|ya?ml|csv)$/i.test(file) && spoken.has(file));
  const read = (file: string, dialect: string) => attempt(async () => {
    change(await unwrap(client.PUT("/api/v1/intakes/{intake_id}/dialect", { params: { path: { intake_id: intake.id } }, body: { file, dialect } })));
  });
  return sheets.map((file) => {
    const guessed = intake.found.find((material) => material.file === file)?.findings.find((finding) => finding.code === "guessed-dialect");
    return (
      <Flex key={file} gap={10} align="center">
        <span><strong>{file}</strong> {guessed === undefined ? <span style={{ color: palette.faded }}>Read by the dialects that it names.</span> : <span style={{ color: palette.faded }}>{guessed.message}</span>}</span>
        <Select aria-label={`Dialect of ${file}`} size="small" placeholder="read by another dialect…" value={guessed?.evidence ?? null} style={{ width: 240, marginLeft: "auto" }} options={dialects.map(({ id, name }) => ({ value: id, label: name }))} onChange={(dialect) => void read(file, dialect)} />
      </Flex>
    );
  });
}
