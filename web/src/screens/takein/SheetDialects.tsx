import { App, Button, Flex, Select } from "antd";
import { useChangeIntake, useSheetFit } from "../../api/intakes";
import type { Intake, SheetFit } from "../../api/types";
import { Explained } from "../../parts/Explained";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";

type Fit = SheetFit["fits"][number];

/** For each parameter sheet of an intake, the dialect that it was read by, and how well it fits. */
export function SheetDialects({ intake }: { intake: Intake }) {
  return intake.sheets.map((sheet) => <SheetDialect key={sheet.file} intake={intake} sheet={sheet} />);
}

interface SheetProps {
  intake: Intake;
  sheet: Intake["sheets"][number];
}

/** Another dialect is one action away, after a warning where it knows none of the columns; so is a new one, begun from the sheet. */
function SheetDialect({ intake, sheet }: SheetProps) {
  const { modal } = App.useApp();
  const go = useGo();
  const fits = useSheetFit(intake.id, sheet.file).data?.fits ?? [];
  const change = useChangeIntake(intake.project_id, intake.id);
  const complain = useComplaint();
  const read = (dialect: string) =>
    change.mutate({ kind: "dialect", file: sheet.file, dialect }, { onError: complain });
  const choose = (fit: Fit | undefined) => {
    if (fit === undefined) return;
    if (fit.recognised > 0) read(fit.id);
    else
      modal.confirm({
        title: `${fit.name} knows none of the ${fit.columns} columns`,
        content: "Every material of the sheet would have nothing but what that renderer takes by default.",
        okText: "Read it so all the same",
        onOk: () => read(fit.id),
      });
  };
  const taken = fits.find(({ id }) => id === sheet.dialect);
  return (
    <Flex gap={10} align="center">
      <span className="grow">
        <strong>{sheet.file}</strong>{" "}
        {sheet.refused ? (
          <>
            <strong>Problem:</strong> {sheet.says}
          </>
        ) : (
          <Fitting sheet={sheet} fit={taken} />
        )}
        <Explained label="What a dialect is, and how one fits" words={["dialect", "own-dialect", "sheet"]} />
      </span>
      <Flex gap={8} className="end">
        <Select
          aria-label={`Dialect of ${sheet.file}`}
          size="small"
          className="field-fit"
          placeholder="read by another dialect…"
          value={sheet.dialect === "" ? null : sheet.dialect}
          options={fits.map((fit) => ({ value: fit.id, label: inWords(fit) }))}
          onChange={(dialect: string | null) => choose(fits.find(({ id }) => id === dialect))}
        />
        <Button size="small" onClick={() => go(`/dialects?intake=${intake.id}&file=${encodeURIComponent(sheet.file)}`)}>
          Write a dialect for it
        </Button>
      </Flex>
    </Flex>
  );
}

/** How the dialect was found, and the columns that it does not know, with what they may be misspelt for. */
function Fitting({ sheet, fit }: { sheet: SheetProps["sheet"]; fit: Fit | undefined }) {
  if (fit === undefined) return <span className="faded">{sheet.says}</span>;
  const misspelt = Object.entries(fit.misspelt).map(([column, meant]) => `“${column}” (is “${meant}” meant?)`);
  const said = [...misspelt, ...fit.unknown.map((column) => `“${column}”`)];
  return (
    <span className="faded">
      Read as {fit.name}, {Math.round(100 * fit.confidence)} % sure
      {said.length > 0 && `; it does not know ${said.join(", ")}`}.
    </span>
  );
}

function inWords({ name, recognised, columns }: Fit): string {
  return `${name} · ${recognised} of ${columns} columns`;
}
