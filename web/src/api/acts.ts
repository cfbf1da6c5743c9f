import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { bodyOf, type Question, type Selection } from "./board";
import { client, unwrap, type Schemas } from "./client";
import { keys } from "./keys";
import type { TargetRef } from "./types";

/** Something that is done to many. */
export type Act = Schemas["RehearsalIn"]["act"];
export type ActKind = Act["kind"];
export type ActOf<Kind extends ActKind> = Extract<Act, { kind: Kind }>;
export type Rehearsal = Schemas["RehearsalOut"];
/** An entry of the history. */
export type PastAct = Schemas["ActOut"];
export type SavedAct = Schemas["SavedActOut"];

/** Find what an act would change, as a job. */
export function useRehearse(project: number, target: TargetRef) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ act, selection }: { act: Act; selection: Selection }) =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/rehearsals", {
          params: { path: { project_id: project } },
          body: { act, ...bodyOf(selection), target: target.model, profile: target.profile },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.jobs(project) }),
  });
}

/** What a rehearsal has found so far; asked again while it goes on. */
export function useRehearsal(job: number | undefined, goesOn: boolean) {
  return useQuery({
    queryKey: [...keys.rehearsal(job), goesOn],
    enabled: job !== undefined,
    refetchInterval: goesOn ? 1500 : false,
    placeholderData: (before) => before,
    queryFn: () => unwrap(client.GET("/api/v1/jobs/{job_id}/rehearsal", { params: { path: { job_id: job ?? 0 } } })),
  });
}

/** What was done in a project, newest first. */
export function useActs(project: number) {
  return useQuery({
    queryKey: keys.acts(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/acts", { params: { path: { project_id: project } } })),
  });
}

/** What was done to a conversion, newest first; another version of it has another history. */
export function useEdits(conversion: number, version: number) {
  return useQuery({
    queryKey: keys.history(conversion, version),
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/conversions/{conversion_id}/history", { params: { path: { conversion_id: conversion } } }),
      ),
  });
}

/** Do what was rehearsed, or take an act back; both as jobs. */
export function useDoOrUndo(project: number) {
  const queries = useQueryClient();
  const onSuccess = () => {
    void queries.invalidateQueries({ queryKey: keys.jobs(project) });
    void queries.invalidateQueries({ queryKey: keys.boards(project) });
    void queries.invalidateQueries({ queryKey: keys.conversions });
  };
  const perform = useMutation({
    mutationFn: (rehearsal: number) =>
      unwrap(client.POST("/api/v1/jobs/{job_id}/rehearsal/act", { params: { path: { job_id: rehearsal } } })),
    onSuccess,
  });
  const undo = useMutation({
    mutationFn: (act: number) =>
      unwrap(client.POST("/api/v1/acts/{act_id}/undo", { params: { path: { act_id: act } } })),
    onSuccess,
  });
  return { perform, undo };
}

/** Acts that are kept to be done again. */
export function useSavedActs(project: number) {
  return useQuery({
    queryKey: keys.savedActs(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/saved-acts", { params: { path: { project_id: project } } })),
  });
}

export function useSaveAct(project: number) {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: keys.savedActs(project) });
  const keep = useMutation({
    mutationFn: ({ name, question, act }: { name: string; question: Question; act: Act }) =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/saved-acts", {
          params: { path: { project_id: project } },
          body: { name, question: { ...question, without: [] }, act },
        }),
      ),
    onSuccess,
  });
  const forget = useMutation({
    mutationFn: (id: number) =>
      unwrap(client.DELETE("/api/v1/saved-acts/{saved_id}", { params: { path: { saved_id: id } } })),
    onSuccess,
  });
  return { keep, forget };
}
