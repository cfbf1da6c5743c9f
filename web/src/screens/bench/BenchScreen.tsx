import { Button, Flex, Modal, Typography } from "antd";
import { lazy, Suspense, useCallback, useEffect, useRef, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { askedOf, useNeighbours } from "../../api/board";
import { useConversion } from "../../api/conversions";
import { useTargets } from "../../api/targets";
import type { Conversion } from "../../api/types";
import { Failure } from "../../parts/Failure";
import { useGo } from "../../parts/useGo";
import { useTarget } from "../../parts/useTarget";
import { VerdictMark } from "../../parts/VerdictMark";
import { spaced } from "../../parts/words";
import { AlsoMeasured } from "./AlsoMeasured";
import { EditHistory } from "./EditHistory";
import { Findings } from "./Findings";
import { Ledger } from "./Ledger";
import { Photographs } from "./Photographs";
import { Readings } from "./Readings";
import { TrialContext, type TryValue } from "./TrialContext";
import { useBenchKeys } from "./useBenchKeys";
import { useBenchView } from "./useBenchView";
import { useFullScreen } from "./useFullScreen";
import { useLook, type Trial } from "./useLook";
import { Viewer } from "./Viewer";
import { panesOf } from "./viewer/Panes";
import { useEdge } from "./viewer/useEdge";
import { useZoom } from "./viewer/useZoom";
import "./bench.css";

/** Loaded when it is asked for: the web renderer is large. */
const WebView = lazy(() => import("./WebView"));

/** Height that captions, values and controls take below the pictures. */
const BELOW = 172;

/** One conversion: both pictures above, the ledger below, the measured results beside. */
export function BenchScreen({ project }: { project: number }) {
  const id = Number(useParams()["conversion"]);
  const conversion = useConversion(id);
  const go = useGo();
  const elsewhere = conversion.data !== undefined && conversion.data.project_id !== project;
  useEffect(() => {
    if (elsewhere) go(`/bench/${id}${window.location.search}`, { project: conversion.data.project_id, replace: true });
  }, [elsewhere, go, id, conversion.data?.project_id]);
  if (conversion.error !== null) return <Failure error={conversion.error} />;
  return conversion.data === undefined ? null : <Bench key={id} project={project} conversion={conversion.data} />;
}

function Bench({ project, conversion }: { project: number; conversion: Conversion }) {
  const [view, setView] = useBenchView();
  const [help, setHelp] = useState(false);
  const [trial, tryValue] = useTrial(conversion.version);
  const neighbours = useWayOn(project, conversion.id);
  const [full, setFull] = useFullScreen();
  const [zoom, acts] = useZoom();
  const box = useRef<HTMLDivElement>(null);
  const panes = panesOf(view);
  const edge = useEdge(box, panes.length, BELOW, panes.includes("difference"));
  const look = useLook(conversion, view, trial, edge);
  useBenchKeys({
    project,
    setView,
    acts,
    previous: neighbours.previous,
    next: neighbours.next,
    help: () => setHelp(true),
    full,
    setFull,
  });
  const [onTheWeb, setOnTheWeb] = useState(false);
  const [photograph, setPhotograph] = useState(false);
  const isGltf = (useTargets(project).data ?? []).some(
    ({ model, profile, format }) => model === conversion.target && profile === conversion.profile && format === "gltf",
  );
  return (
    <TrialContext value={tryValue}>
      <Flex vertical gap={12} className="bench">
        <Title conversion={conversion} project={project} neighbours={neighbours} openHelp={() => setHelp(true)} />
        <div className="bench-upper">
          <div>
            <Viewer
              conversion={conversion}
              project={project}
              view={view}
              setView={setView}
              look={look}
              box={box}
              edge={edge}
              zoom={zoom}
              acts={acts}
              full={full}
              toggleFull={() => setFull(!full)}
            />
            <Flex gap={8} className="web-toggle">
              {isGltf && (
                <Button size="small" aria-expanded={onTheWeb} onClick={() => setOnTheWeb(!onTheWeb)}>
                  As a web page shows it
                </Button>
              )}
              <Button size="small" aria-expanded={photograph} onClick={() => setPhotograph(!photograph)}>
                Beside a photograph
              </Button>
            </Flex>
            {photograph && <Photographs conversion={conversion} project={project} look={look} />}
            {isGltf && onTheWeb && (
              <Suspense fallback={null}>
                <WebView conversion={conversion} project={project} view={view} setView={setView} look={look} />
              </Suspense>
            )}
            <AlsoMeasured look={look} />
          </div>
          <Readings conversion={conversion} project={project} view={view} look={look} />
        </div>
        {conversion.findings.length > 0 && <Findings conversion={conversion} project={project} />}
        <Ledger conversion={conversion} project={project} />
        <KeysSheet open={help} close={() => setHelp(false)} />
      </Flex>
    </TrialContext>
  );
}

/** What is being tried; another version of the conversion has taken it in or put it back. */
function useTrial(version: number): [Trial, TryValue] {
  const [held, setHeld] = useState<{ version: number; trial: Trial }>({ version, trial: {} });
  const tryValue = useCallback<TryValue>(
    (name, value) =>
      setHeld((before) => {
        const known = before.version === version ? before.trial : {};
        const others = Object.fromEntries(Object.entries(known).filter(([other]) => other !== name));
        return { version, trial: value === undefined ? others : { ...others, [name]: value } };
      }),
    [version],
  );
  return [held.version === version ? held.trial : NOTHING, tryValue];
}

const NOTHING: Trial = {};

interface Neighbours {
  previous: (() => void) | undefined;
  next: (() => void) | undefined;
  where: string;
}

/** What stands beside it on the board from which one came, as that was sorted and filtered. */
function useWayOn(project: number, id: number): Neighbours {
  const [target] = useTarget(project);
  const go = useGo();
  const [search] = useSearchParams();
  const found = useNeighbours(project, target, askedOf(search), id).data;
  const to = (other: number | null | undefined) => {
    if (other == null) return undefined;
    const kept = new URLSearchParams(search);
    for (const own of ["without", "alone", "against"]) kept.delete(own);
    kept.set("to", target?.key ?? "");
    return () => go(`/bench/${other}?${kept.toString()}`);
  };
  const where = found === undefined || found.place === 0 ? "" : `${found.place} of ${found.total}`;
  return { previous: to(found?.previous), next: to(found?.next), where };
}

interface TitleProps {
  conversion: Conversion;
  project: number;
  neighbours: Neighbours;
  openHelp: () => void;
}

function Title({ conversion, project, neighbours, openHelp }: TitleProps) {
  const [past, setPast] = useState(false);
  const { verdict } = conversion;
  const go = useGo();
  return (
    <Flex gap={14} align="baseline" className="bench-title">
      <Typography.Title level={4} className="heading one-line" title={conversion.name}>
        {conversion.name}
      </Typography.Title>
      <span className="faded">
        {spaced(conversion.model)} → {conversion.target_title}
      </span>
      <VerdictMark verdict={verdict.verdict} label={false} />
      <span className="bench-verdict">
        {verdict.text}
        {verdict.rig !== "" && verdict.unseen.length === 0 && <span className="faded"> ({spaced(verdict.rig)})</span>}
      </span>
      <Flex gap={6} className="end">
        <Button size="small" onClick={() => go(`/maps/${conversion.id}${window.location.search}`)}>
          Maps
        </Button>
        <span className="numbers faded small">{neighbours.where}</span>
        <Button size="small" onClick={() => setPast(true)}>
          History
        </Button>
        {past && <EditHistory conversion={conversion} project={project} close={() => setPast(false)} />}
        <Button size="small" disabled={neighbours.previous === undefined} onClick={neighbours.previous}>
          Previous
        </Button>
        <Button size="small" disabled={neighbours.next === undefined} onClick={neighbours.next}>
          Next
        </Button>
        <Button size="small" type="text" onClick={openHelp}>
          Keys
        </Button>
      </Flex>
    </Flex>
  );
}

const KEYS = [
  ["j, k", "next, previous material"],
  ["r", "next light rig"],
  ["s", "next stand"],
  ["t", "turn the light by a quarter"],
  ["p", "pair side by side"],
  ["o", "pair with the difference"],
  ["v", "divider"],
  ["b", "blink"],
  ["x", "difference"],
  ["+, −, 0", "magnify, shrink, the whole"],
  ["arrows", "move what is magnified"],
  ["e, E", "half a stop brighter, darker"],
  ["c, n, l", "mark clipped, noisy, the rim"],
  ["f", "full screen, and back"],
  ["drag", "turns the light; moves what is magnified"],
  ["Alt-drag", "turns the light, magnified too"],
  ["Shift-drag", "draws a region"],
  ["Ctrl-wheel", "magnifies"],
  ["?", "this sheet"],
] as const;

function KeysSheet({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Modal title="Keys on the bench" open={open} onCancel={close} footer={null} width={380}>
      <dl className="keys">
        {KEYS.map(([key, says]) => [
          <dt key={key} className="numbers">
            <strong>{key}</strong>
          </dt>,
          <dd key={says}>{says}</dd>,
        ])}
      </dl>
    </Modal>
  );
}
