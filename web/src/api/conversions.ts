import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { bodyOf, type Selection } from "./board";
import { client, type Schemas, unwrap } from "./client";
import { madeOn } from "./edits";
import { useJobMutation } from "./jobs";
import { keys } from "./keys";
import type { TargetRef, Conversion } from "./types";

export function useConversion(id: number) {
  return useQuery({
    queryKey: keys.conversion(id),
    queryFn: () =>
      unwrap(client.GET("/api/v1/conversions/{conversion_id}", { params: { path: { conversion_id: id } } })),
  });
}

/** Where the remaining difference comes from; another version of the conversion is another question. */
export function useShares(id: number, version: number) {
  return useQuery({
    queryKey: keys.shares(id, version),
    staleTime: Infinity,
    queryFn: () =>
      unwrap(client.GET("/api/v1/conversions/{conversion_id}/shares", { params: { path: { conversion_id: id } } })),
  });
}

/** A conversion by every aim, side by side. */
export function useAims({ id, version }: Conversion) {
  return useQuery({
    queryKey: keys.aims(id, version),
    staleTime: Infinity,
    queryFn: async () =>
      (
        await unwrap(
          client.GET("/api/v1/conversions/{conversion_id}/aims", { params: { path: { conversion_id: id } } }),
        )
      ).aims,
  });
}

export function useComparison(material: number) {
  return useQuery({
    queryKey: keys.comparison(material),
    queryFn: () =>
      unwrap(client.GET("/api/v1/materials/{material_id}/targets", { params: { path: { material_id: material } } })),
  });
}

/** Convert and check materials to a target, as a job. */
export function useConvert(project: number, target: TargetRef) {
  return useJobMutation(project, (selection: Selection) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/conversions", {
        params: { path: { project_id: project } },
        body: { ...bodyOf(selection), target: target.model, profile: target.profile },
      }),
    ),
  );
}

/** Say something of a conversion as it was seen. */
export function useReview(conversion: Conversion, project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (said: Schemas["ReviewIn"]) =>
      unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/reviews", {
          params: { path: { conversion_id: conversion.id }, header: madeOn(conversion) },
          body: said,
        }),
      ),
    onSettled: () => {
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      void queries.invalidateQueries({ queryKey: keys.conversion(conversion.id) });
    },
  });
}

/** Accept all that wait, match on every rig, and lose nothing; signed by a name. */
export function useAcceptAll(project: number, target: TargetRef) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/reviews", {
          params: { path: { project_id: project } },
          body: { target: target.model, profile: target.profile },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.boards(project) }),
  });
}

/** Begin a second version of a material under its own name. */
export function useMakeVariant(conversion: number, project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (name: string) =>
      unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/variants", {
          params: { path: { conversion_id: conversion } },
          body: { name },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      void queries.invalidateQueries({ queryKey: keys.conversions });
    },
  });
}
