import { useEffect, useRef } from "react";
import { client, unwrap } from "../../api/client";
import { useEngineState, useJobMutation, useJobs, type Check, type Conversion } from "../../api/queries";
import { explain } from "../../parts/Failure";
import type { BenchView } from "./useBenchView";

const EDGE = 256;

/** The check that belongs to what is looked at; asks for one where there is none yet. */
export function useCheckOnView(project: number, conversion: Conversion, view: BenchView): { check: Check | undefined; pending: boolean; failure: string | undefined } {
  const engineRuns = useEngineState().data?.engine_runs ?? false;
  const jobs = useJobs(project).data;
  const start = useJobMutation(project, () => unwrap(client.POST("/api/v1/conversions/{conversion_id}/checks", {
    params: { path: { conversion_id: conversion.id } }, body: { rigs: [view.rig], stand: view.stand, size: EDGE, samples: 64, turn: view.turn },
  })));
  const suited = conversion.checks.filter((check) => check.rig === view.rig && check.stand === view.stand && check.turn === view.turn);
  const check = suited.reduce<Check | undefined>((best, other) => (best === undefined || other.size >= best.size ? other : best), undefined);
  const wanted = `${conversion.id}/${conversion.version}/${view.rig}/${view.stand}/${view.turn}`;
  const asked = useRef("");
  const missing = check === undefined || check.size < EDGE;
  const { mutate, error } = start;
  useEffect(() => {
    if (!missing || !engineRuns || asked.current === wanted) return;
    asked.current = wanted;
    mutate(undefined);
  }, [missing, engineRuns, wanted, mutate]);
  const job = jobs?.find((candidate) => candidate.id === start.data?.id);
  const failure = error !== null ? explain(error) : job?.errors[0];
  return { check, pending: missing && engineRuns && failure === undefined, failure };
}
