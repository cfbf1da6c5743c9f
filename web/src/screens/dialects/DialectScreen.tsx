import { App, Button, Flex, Input, Popconfirm, Segmented, Select, Typography } from "antd";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, unwrap } from "../../api/client";
import { keys, useDialects, type Dialect } from "../../api/queries";
import { Failure } from "../../parts/Failure";
import { useAttempt } from "../../parts/useAttempt";
import { palette } from "../../theme";
import { LinedText } from "./LinedText";
import { SAMPLES, type SheetKind } from "./samples";
import { TriedSheet } from "./TriedSheet";
import { useTried } from "./useTried";

const NEW = `dialect: 1
id: my-renderer
name: My renderer
model: gloss_pair
says: what it is
name_column: name
parameters:
  - {name: Colour, feeds: diffuse, full: 255, range: [0, 255], encoding: srgb, says: colour of the body}
`;

/** Write a renderer's spelling, test it on a sheet, and see beside it what its materials become, as one types. */
export function DialectScreen() {
  const dialects = useDialects();
  if (dialects.error !== null) return <Failure error={dialects.error} />;
  return dialects.data === undefined ? null : <Workplace dialects={dialects.data} />;
}

function Workplace({ dialects }: { dialects: Dialect[] }) {
  const { message } = App.useApp();
  const attempt = useAttempt();
  const queries = useQueryClient();
  const [key, setKey] = useState<string>();
  const [version, setVersion] = useState(0);
  const [text, setText] = useState(NEW);
  const [kind, setKind] = useState<SheetKind>(".json");
  const [sheet, setSheet] = useState("");
  const tried = useTried(text, sheet, kind);
  const open = (chosen: string) => attempt(async () => {
    const found = await unwrap(client.GET("/api/v1/dialects/{key}", { params: { path: { key: chosen } } }));
    setKey(chosen);
    setVersion(found.version);
    setText(found.text);
    const sample = SAMPLES[chosen];
    if (sample !== undefined) {
      setKind(sample.kind);
      setSheet(sample.text);
    }
  });
  const save = () => attempt(async () => {
    const own = idIn(text) ?? "";
    const from = own === key ? version : dialects.find((dialect) => dialect.id === own)?.version ?? 0;
    const saved = await unwrap(client.PUT("/api/v1/dialects/{key}", { params: { path: { key: own }, header: { "if-match": `"${from}"` } }, body: { text } }));
    setKey(saved.id);
    setVersion(saved.version);
    await queries.invalidateQueries({ queryKey: keys.dialects });
    void message.success(`Saved “${saved.id}”; sheets are now guessed among it too.`);
  });
  const remove = () => attempt(async () => {
    if (key === undefined) return;
    await unwrap(client.DELETE("/api/v1/dialects/{key}", { params: { path: { key } } }));
    setKey(undefined);
    setVersion(0);
    setText(NEW);
    await queries.invalidateQueries({ queryKey: keys.dialects });
  });
  const problems = tried?.problems ?? [];
  return (
    <div style={{ display: "grid", gridTemplateColumns: "minmax(430px, 1fr) minmax(320px, 0.75fr) minmax(380px, 1fr)", gap: 16, padding: "14px 20px 20px", height: "100%", boxSizing: "border-box", minWidth: 1180 }}>
      <Flex vertical gap={8} style={{ minHeight: 0 }}>
        <Flex gap={8} align="center" wrap>
          <Typography.Title level={5} style={{ margin: 0 }}>Dialect</Typography.Title>
          <Select aria-label="Open a dialect" placeholder="Open one…" value={key ?? null} style={{ width: 190 }} options={dialects.map(({ id, name }) => ({ value: id, label: name }))} onChange={(chosen) => void open(chosen)} />
          <Flex gap={6} style={{ marginLeft: "auto" }}>
            <Button size="small" onClick={() => share(text)}>Save to a file</Button>
            {version > 0 && <Popconfirm title="Delete what was written?" onConfirm={() => void remove()}><Button size="small">Delete</Button></Popconfirm>}
            <Button size="small" type="primary" disabled={problems.length > 0} onClick={() => void save()}>Save</Button>
          </Flex>
        </Flex>
        <LinedText label="Dialect, as YAML" value={text} change={setText} marked={problems.map((problem) => problem.line)} />
        <div role="status" aria-label="What is wrong with the dialect" style={{ fontSize: 13, minHeight: 22, maxHeight: 110, overflow: "auto" }}>
          {problems.length === 0 ? <span style={{ color: palette.faded }}>✓ nothing wrong with it</span> : problems.map((problem) => <div key={`${problem.line} ${problem.message}`}><strong className="numbers">line {problem.line}</strong> {problem.message}</div>)}
        </div>
      </Flex>
      <Flex vertical gap={8} style={{ minHeight: 0 }}>
        <Flex gap={8} align="center">
          <Typography.Title level={5} style={{ margin: 0 }}>Sheet</Typography.Title>
          <Segmented aria-label="Kind of sheet" size="small" value={kind} options={[".json", ".yaml", ".csv"]} onChange={(chosen) => setKind(chosen as SheetKind)} />
        </Flex>
        <Input.TextArea aria-label="Sheet to test on" className="numbers" placeholder="Paste a few rows here" value={sheet} onChange={(event) => setSheet(event.target.value)} spellCheck={false} style={{ flex: 1, resize: "none", fontSize: 12.5 }} />
      </Flex>
      <TriedSheet tried={tried} />
    </div>
  );
}

/** What a dialect's text calls itself. */
function idIn(text: string): string | undefined {
  return /^id:\s*(\S+)/m.exec(text)?.[1];
}

/** The dialect as a file, to hand to somebody else; handed in beside a sheet it is used at once. */
function share(text: string) {
  const name = idIn(text) ?? "dialect";
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/yaml" }));
  link.download = `${name}.yaml`;
  link.click();
  URL.revokeObjectURL(link.href);
}
