import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { client, unwrap, type Schemas } from "./client";
import type { Aim } from "../parts/aims";

export type Job = Schemas["JobOut"];
export type BoardRow = Schemas["BoardRow"];
export type Conversion = Schemas["ConversionOut"];
export type Check = Schemas["CheckOut"];
export type LedgerEntry = Schemas["LedgerEntry"];
export type Intake = Schemas["IntakeOut"];
export type Parameter = Schemas["ParameterOut"];

export const keys = {
  projects: ["projects"] as const,
  board: (project: number, aim: Aim) => ["board", project, aim.target, aim.profile] as const,
  jobs: (project: number) => ["jobs", project] as const,
  conversion: (id: number) => ["conversion", id] as const,
};

export function useProjects() {
  return useQuery({ queryKey: keys.projects, queryFn: () => unwrap(client.GET("/api/v1/projects")) });
}

export function useBoard(project: number, aim: Aim) {
  return useQuery({
    queryKey: keys.board(project, aim),
    queryFn: () => unwrap(client.GET("/api/v1/projects/{project_id}/board", { params: { path: { project_id: project }, query: { target: aim.target, profile: aim.profile } } })),
  });
}

export function useJobs(project: number) {
  return useQuery({
    queryKey: keys.jobs(project),
    queryFn: () => unwrap(client.GET("/api/v1/projects/{project_id}/jobs", { params: { path: { project_id: project } } })),
  });
}

export function useConversion(id: number) {
  return useQuery({
    queryKey: keys.conversion(id),
    queryFn: () => unwrap(client.GET("/api/v1/conversions/{conversion_id}", { params: { path: { conversion_id: id } } })),
  });
}

/** Models, rigs, stands and the engine's state do not change while the page is open. */
export function useModels() {
  return useQuery({ queryKey: ["models"], staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/models")) });
}

export function useRigs() {
  return useQuery({ queryKey: ["rigs"], staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/rigs")) });
}

export function useStands() {
  return useQuery({ queryKey: ["stands"], staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/stands")) });
}

export function useEngineState() {
  return useQuery({ queryKey: ["state"], staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/state")) });
}

/** Start a job and show it at once. */
export function useJobMutation<Arguments>(project: number, start: (given: Arguments) => Promise<Job>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: start,
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.jobs(project) }),
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
      void queries.invalidateQueries({ queryKey: ["board", project] });
      void queries.invalidateQueries({ queryKey: ["conversion"] });
    };
    const events = new EventSource(`/api/v1/projects/${project}/events`);
    events.addEventListener("job", (event: MessageEvent<string>) => {
      const job = JSON.parse(event.data) as Job;
      queries.setQueryData<Job[]>(keys.jobs(project), (known) => [job, ...(known ?? []).filter((other) => other.id !== job.id)].sort((a, b) => b.id - a.id));
      pending ??= setTimeout(loadAgain, BREATH);
    });
    return () => {
      clearTimeout(pending);
      events.close();
    };
  }, [project, queries]);
}
