import { App, Button, Flex, Input, Popconfirm, Segmented, Select, Typography } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { useSheetFit } from "../../api/intakes";
import { useDeleteDialect, useDialects, useOpenDialect, useRenameDialect, useSaveDialect } from "../../api/library";
import type { Dialect, SheetFit, Tried } from "../../api/types";
import { Failure } from "../../parts/Failure";
import { NameDialog } from "../../parts/NameDialog";
import { useComplaint } from "../../parts/useComplaint";
import { useTarget } from "../../parts/useTarget";
import { WhatIf } from "../../parts/WhatIf";
import { LinedText } from "./LinedText";
import { SAMPLES, type SheetKind } from "./samples";
import { TriedSheet } from "./TriedSheet";
import { useTried } from "./useTried";
import "./dialects.css";

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
export function DialectScreen({ project }: { project: number }) {
  const [search] = useSearchParams();
  const file = search.get("file") ?? "";
  const dialects = useDialects();
  const fit = useSheetFit(search.has("intake") ? Number(search.get("intake")) : undefined, file);
  const error = dialects.error ?? fit.error;
  if (error !== null) return <Failure error={error} />;
  if (dialects.data === undefined || fit.isLoading) return null;
  return <Workplace key={file} project={project} dialects={dialects.data} begun={fit.data} />;
}

/** The dialect that is being written: by what key and version it is kept (none and 0 for a new or shipped one). */
interface Written {
  key: string | undefined;
  version: number;
  text: string;
}

interface WorkplaceProps {
  project: number;
  dialects: Dialect[];
  /** A sheet that was uploaded, and the draft to begin from. */
  begun: SheetFit | undefined;
}

function Workplace({ project, dialects, begun }: WorkplaceProps) {
  const [written, setWritten] = useState<Written>({ key: undefined, version: 0, text: begun?.draft ?? NEW });
  const [kind, setKind] = useState<SheetKind>(".json");
  const [sheet, setSheet] = useState(begun?.rows ?? "");
  const tried = useTried(written.text, sheet, kind);
  const problems = tried?.problems ?? [];
  const showSample = (key: string) => {
    const sample = SAMPLES[key];
    if (sample === undefined) return;
    setKind(sample.kind);
    setSheet(sample.text);
  };
  return (
    <div className="screen screen-wide dialects">
      <Flex vertical gap={8} className="column">
        <DialectBar
          project={project}
          dialects={dialects}
          written={written}
          setWritten={setWritten}
          showSample={showSample}
          savable={problems.length === 0}
        />
        <LinedText
          label="Dialect, as YAML"
          value={written.text}
          change={(text) => setWritten({ ...written, text })}
          marked={problems.map((problem) => problem.line)}
        />
        <Problems problems={problems} />
      </Flex>
      <Flex vertical gap={8} className="column">
        <Flex gap={8} align="center" className="column-head">
          <Typography.Title level={5} className="heading">
            Sheet
          </Typography.Title>
          <Segmented
            aria-label="Kind of sheet"
            size="small"
            value={kind}
            options={[".json", ".yaml", ".csv"]}
            onChange={(chosen) => setKind(chosen as SheetKind)}
          />
        </Flex>
        <Input.TextArea
          aria-label="Sheet to test on"
          className="numbers fill sheet-text"
          placeholder="Paste a few rows here"
          value={sheet}
          onChange={(event) => setSheet(event.target.value)}
          spellCheck={false}
        />
      </Flex>
      <TriedSheet tried={tried} />
    </div>
  );
}

interface BarProps {
  project: number;
  dialects: Dialect[];
  written: Written;
  setWritten: (written: Written) => void;
  showSample: (key: string) => void;
  savable: boolean;
}

/** Open, share, rename, delete and save; and what saving would change on the board. */
function DialectBar({ project, dialects, written, setWritten, showSample, savable }: BarProps) {
  const { message } = App.useApp();
  const complain = useComplaint();
  const opening = useOpenDialect();
  const saving = useSaveDialect();
  const deleting = useDeleteDialect();
  const renaming = useRenameDialect();
  const [naming, setNaming] = useState(false);
  const [target] = useTarget(project);
  const { key, version, text } = written;
  const open = (chosen: string) =>
    opening.mutate(chosen, {
      onSuccess: (found) => {
        setWritten({ key: chosen, version: found.version, text: found.text });
        showSample(chosen);
      },
      onError: complain,
    });
  const own = idIn(text) ?? "";
  const from = own === key ? version : (dialects.find((dialect) => dialect.id === own)?.version ?? 0);
  const save = () => {
    saving.mutate(
      { key: own, version: from, text },
      {
        onSuccess: (saved) => {
          setWritten({ key: saved.id, version: saved.version, text });
          void message.success(`Saved “${saved.id}”; sheets are now guessed among it too.`);
        },
        onError: complain,
      },
    );
  };
  const remove = () =>
    deleting.mutate(key ?? "", {
      onSuccess: () => setWritten({ key: undefined, version: 0, text: NEW }),
      onError: complain,
    });
  const rename = (id: string) =>
    renaming.mutate(
      { key: key ?? "", version, id },
      {
        onSuccess: (renamed) => {
          setNaming(false);
          setWritten({ key: renamed.id, version: renamed.version, text: renamed.text });
        },
        onError: complain,
      },
    );
  return (
    <Flex gap={8} align="center" wrap className="column-head">
      <Typography.Title level={5} className="heading">
        Dialect
      </Typography.Title>
      <Select
        aria-label="Open a dialect"
        className="field"
        placeholder="Open one…"
        value={key ?? null}
        options={dialects.map(({ id, name }) => ({ value: id, label: name }))}
        onChange={open}
      />
      <Flex gap={6} className="end">
        <Button size="small" onClick={() => share(text)}>
          Save to a file
        </Button>
        {version > 0 && (
          <Button size="small" onClick={() => setNaming(true)}>
            Rename…
          </Button>
        )}
        {version > 0 && (
          <Popconfirm title="Delete what was written?" onConfirm={remove}>
            <Button size="small">Delete</Button>
          </Popconfirm>
        )}
        {target !== undefined && (
          <WhatIf
            project={project}
            target={target}
            act={{ kind: "dialect", name: own, text, version: from }}
            disabled={!savable}
            begun={() => open(own)}
          />
        )}
        <Button size="small" type="primary" disabled={!savable} onClick={save}>
          Save
        </Button>
      </Flex>
      {naming && (
        <NameDialog
          title="Rename the dialect; unsaved changes are discarded"
          label="Its id"
          start={key ?? ""}
          ok="Rename"
          pending={renaming.isPending}
          close={() => setNaming(false)}
          take={rename}
        />
      )}
    </Flex>
  );
}

function Problems({ problems }: { problems: Tried["problems"] }) {
  return (
    <div role="status" aria-label="What is wrong with the dialect" className="problems">
      {problems.length === 0 ? (
        <span className="faded">✓ nothing wrong with it</span>
      ) : (
        problems.map((problem) => (
          <div key={`${problem.line} ${problem.message}`}>
            <strong className="numbers">line {problem.line}</strong> {problem.message}
          </div>
        ))
      )}
    </div>
  );
}

/** What a dialect's text calls itself. */
function idIn(text: string): string | undefined {
  return /^id:\s*(\S+)/m.exec(text)?.[1];
}

/** The dialect as a file, to hand to somebody else; uploaded beside a sheet it is used at once. */
function share(text: string) {
  const name = idIn(text) ?? "dialect";
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/yaml" }));
  link.download = `${name}.yaml`;
  link.click();
  URL.revokeObjectURL(link.href);
}
