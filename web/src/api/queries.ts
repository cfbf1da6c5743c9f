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
export type Finding = Schemas["FindingOut"];
export type Comparison = Schemas["ComparisonOut"];
export type Tables = Schemas["TablesOut"];
export type Preset = Schemas["PresetOut"];
export type Dialect = Schemas["DialectOut"];
export type Tried = Schemas["TryOut"];

export const keys = {
  projects: ["projects"] as const,
  board: (project: number, aim: Aim) => ["board", project, aim.target, aim.profile] as const,
  jobs: (project: number) => ["jobs", project] as const,
  conversion: (id: number) => ["conversion", id] as const,
  presets: ["presets"] as const,
  dialects: ["dialects"] as const,
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

/** Where the remaining difference comes from; another version of the conversion is another question. */
export function useShares(id: number, version: number) {
  return useQuery({
    queryKey: ["shares", id, version], staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/conversions/{conversion_id}/shares", { params: { path: { conversion_id: id } } })),
  });
}

export function useComparison(material: number) {
  return useQuery({
    queryKey: ["comparison", material],
    queryFn: () => unwrap(client.GET("/api/v1/materials/{material_id}/targets", { params: { path: { material_id: material } } })),
  });
}

export function usePresets() {
  return useQuery({ queryKey: keys.presets, queryFn: () => unwrap(client.GET("/api/v1/presets")) });
}

export function useDialects() {
  return useQuery({ queryKey: keys.dialects, queryFn: () => unwrap(client.GET("/api/v1/dialects")) });
}

export function useTables() {
  return useQuery({ queryKey: ["tables"], staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/tables")) });
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

/** Convert and check materials to a target, as a job. */
export function useConvert(project: number, aim: Aim) {
  return useJobMutation(project, (ids: number[]) => unwrap(client.POST("/api/v1/projects/{project_id}/conversions", {
    params: { path: { project_id: project } }, body: { material_ids: ids, target: aim.target, profile: aim.profile },
  })));
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
