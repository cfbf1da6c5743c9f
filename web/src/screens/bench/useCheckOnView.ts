import { useEffect, useRef } from "react";
import { useCheckAgain } from "../../api/mutations";
import { useEngineState, useJobs, type Check, type Conversion } from "../../api/queries";
import { explain } from "../../parts/Failure";
import type { BenchView } from "./useBenchView";

const EDGE = 256;
const SAMPLES = 64;

/** The check that belongs to what is looked at; asks for one where there is none yet. */
export function useCheckOnView(
  project: number,
  conversion: Conversion,
  view: BenchView,
): { check: Check | undefined; pending: boolean; failure: string | undefined } {
  const engineRuns = useEngineState().data?.engine_runs ?? false;
  const jobs = useJobs(project).data;
  const start = useCheckAgain(project, conversion.id);
  const suited = conversion.checks.filter(
    (check) => check.rig === view.rig && check.stand === view.stand && check.turn === view.turn,
  );
  const check = suited.reduce<Check | undefined>(
    (best, other) => (best === undefined || other.size >= best.size ? other : best),
    undefined,
  );
  const wanted = `${conversion.id}/${conversion.version}/${view.rig}/${view.stand}/${view.turn}`;
  const asked = useRef("");
  const missing = check === undefined || check.size < EDGE;
  const { mutate, error } = start;
  const { rig, stand, turn } = view;
  useEffect(() => {
    if (!missing || !engineRuns || asked.current === wanted) return;
    asked.current = wanted;
    mutate({ rigs: [rig], stand, size: EDGE, samples: SAMPLES, turn });
  }, [missing, engineRuns, wanted, mutate, rig, stand, turn]);
  const job = jobs?.find((candidate) => candidate.id === start.data?.id);
  const failure = error !== null ? explain(error) : job?.errors[0];
  return { check, pending: missing && engineRuns && failure === undefined, failure };
}
