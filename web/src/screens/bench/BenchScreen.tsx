import { Button, Flex, Modal, Typography } from "antd";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { client, unwrap } from "../../api/client";
import { useBoard, useConversion, type Conversion } from "../../api/queries";
import { useAim } from "../../parts/aims";
import { Failure } from "../../parts/Failure";
import { FindingList } from "../../parts/FindingList";
import { VerdictMark } from "../../parts/VerdictMark";
import { palette } from "../../theme";
import { Ledger } from "./Ledger";
import { PicturePair } from "./PicturePair";
import { Readings } from "./Readings";
import { useBenchKeys } from "./useBenchKeys";
import { useBenchView } from "./useBenchView";
import { madeOn, useEdit } from "./useEdit";
import { useCheckOnView } from "./useCheckOnView";

/** One conversion: both looks above, the ledger below, the measured results beside. */
export function BenchScreen({ project }: { project: number }) {
  const id = Number(useParams().conversion);
  const conversion = useConversion(id);
  if (conversion.error !== null) return <Failure error={conversion.error} />;
  return conversion.data === undefined ? null : <Bench key={id} project={project} conversion={conversion.data} />;
}

function Bench({ project, conversion }: { project: number; conversion: Conversion }) {
  const [view, setView] = useBenchView();
  const [help, setHelp] = useState(false);
  const neighbours = useNeighbours(project, conversion.id);
  const { check, pending, failure } = useCheckOnView(project, conversion, view);
  useBenchKeys({ view, setView, previous: neighbours.previous, next: neighbours.next, help: () => setHelp(true) });
  return (
    <Flex vertical gap={12} style={{ padding: "12px 20px 24px", minWidth: 960 }}>
      <Title conversion={conversion} neighbours={neighbours} openHelp={() => setHelp(true)} />
      <div style={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr) 310px", gap: 16, alignItems: "start" }}>
        <PicturePair view={view} setView={setView} check={check} pending={pending} failure={failure} name={conversion.name} />
        <Readings checks={conversion.checks} stand={view.stand} shown={check} />
      </div>
      {conversion.findings.length > 0 && <Findings conversion={conversion} project={project} />}
      <Ledger conversion={conversion} project={project} />
      <HelpSheet open={help} close={() => setHelp(false)} />
    </Flex>
  );
}

/** What is odd about the original and the conversion; a remedy of one action enters the ledger. */
function Findings({ conversion, project }: { conversion: Conversion; project: number }) {
  const edit = useEdit(conversion, project);
  return (
    <FindingList findings={conversion.findings} remedy={({ code, parameter }) => edit.mutate(() => unwrap(client.POST("/api/v1/conversions/{conversion_id}/remedies", {
      params: { path: { conversion_id: conversion.id }, header: madeOn(conversion) }, body: { code, parameter },
    })))} />
  );
}

interface Neighbours {
  previous: (() => void) | undefined;
  next: (() => void) | undefined;
}

function useNeighbours(project: number, id: number): Neighbours {
  const [aim] = useAim();
  const navigate = useNavigate();
  const ids = (useBoard(project, aim).data ?? []).flatMap((row) => (row.conversion_id === null ? [] : [row.conversion_id]));
  const at = ids.indexOf(id);
  const to = (target: number | undefined) => (target === undefined ? undefined : () => void navigate(`/bench/${target}?to=${aim.key}`));
  return { previous: at > 0 ? to(ids[at - 1]) : undefined, next: at >= 0 ? to(ids[at + 1]) : undefined };
}

function Title({ conversion, neighbours, openHelp }: { conversion: Conversion; neighbours: Neighbours; openHelp: () => void }) {
  const byRig = new Map(conversion.checks.map((check) => [check.rig, check.numbers.verdict]));
  return (
    <Flex gap={14} align="baseline">
      <Typography.Title level={4} style={{ margin: 0 }}>{conversion.name}</Typography.Title>
      <span style={{ color: palette.faded }}>{conversion.model.replaceAll("_", " ")} → {conversion.target.replaceAll("_", " ")}{conversion.profile === "core" ? ", core only" : ""}</span>
      {[...byRig].map(([rig, verdict]) => <span key={rig}><span style={{ color: palette.faded }}>{rig.replaceAll("_", " ")} </span><VerdictMark verdict={verdict} /></span>)}
      <Flex gap={6} style={{ marginLeft: "auto" }}>
        <Button size="small" disabled={neighbours.previous === undefined} onClick={neighbours.previous}>Previous</Button>
        <Button size="small" disabled={neighbours.next === undefined} onClick={neighbours.next}>Next</Button>
        <Button size="small" type="text" onClick={openHelp}>Keys</Button>
      </Flex>
    </Flex>
  );
}

const HELP = [
  ["j, k", "next, previous material"], ["r", "next light rig"], ["s", "next stand"], ["t", "turn the light by a quarter"],
  ["p", "pair side by side"], ["v", "divider"], ["b", "blink"], ["x", "difference"], ["?", "this sheet"],
] as const;

function HelpSheet({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Modal title="Keys on the bench" open={open} onCancel={close} footer={null} width={380}>
      <dl style={{ display: "grid", gridTemplateColumns: "70px 1fr", rowGap: 6, margin: 0 }}>
        {HELP.map(([key, says]) => [<dt key={key} className="numbers"><strong>{key}</strong></dt>, <dd key={says} style={{ margin: 0 }}>{says}</dd>])}
      </dl>
    </Modal>
  );
}
