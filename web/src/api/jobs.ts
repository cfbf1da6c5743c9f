import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { client, unwrap } from "./client";
import { keys } from "./keys";
import type { Job } from "./types";

export function useJobs(project: number) {
  return useQuery({
    queryKey: keys.jobs(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/jobs", { params: { path: { project_id: project } } })),
  });
}

/** Milliseconds over which events are gathered, so that a job of thousands does not load the board thousands of times. */
const BREATH = 600;

/** Follow the project's jobs; whatever they change is loaded again. */
export function useJobEvents(project: number | undefined) {
  const queries = useQueryClient();
  useEffect(() => {
    if (project === undefined) return undefined;
    let pending: ReturnType<typeof setTimeout> | undefined;
    const loadAgain = () => {
      pending = undefined;
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      for (const queryKey of [keys.conversions, keys.allKits, keys.anyKit])
        void queries.invalidateQueries({ queryKey });
    };
    const events = new EventSource(`/api/v1/projects/${project}/events`);
    events.addEventListener("job", (event: MessageEvent<string>) => {
      const job = JSON.parse(event.data) as Job;
      queries.setQueryData<Job[]>(keys.jobs(project), (known) =>
        [job, ...(known ?? []).filter((other) => other.id !== job.id)].sort((a, b) => b.id - a.id),
      );
      pending ??= setTimeout(loadAgain, BREATH);
    });
    return () => {
      clearTimeout(pending);
      events.close();
    };
  }, [project, queries]);
}

/** Start a job and show it at once. */
export function useJobMutation<Arguments>(project: number, start: (given: Arguments) => Promise<Job>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: start,
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.jobs(project) }),
  });
}

export function useJobAct(project: number, job: number) {
  return useJobMutation(project, (verb: "cancel" | "pause" | "resume") =>
    unwrap(client.POST(`/api/v1/jobs/{job_id}/${verb}`, { params: { path: { job_id: job } } })),
  );
}
