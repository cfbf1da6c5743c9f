import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Step } from "../parts/grading";
import { client, unwrap, type Schemas } from "./client";
import { keys } from "./keys";
import type { Aim, Conversion } from "./types";

/** Every way to edit a conversion. Each names the version that it was made on, so that nobody's work is written over unseen. */
export type Edit =
  | { kind: "set"; name: string; value: Schemas["OverrideIn"]["value"] }
  | { kind: "reset"; name: string }
  | { kind: "reset all" }
  | { kind: "grade"; name: string; steps: Step[] }
  | { kind: "copy"; name: string; from: Schemas["CopyIn"] }
  | { kind: "preset"; preset: string }
  | { kind: "remedy"; code: string; parameter: string }
  | { kind: "aim"; aim: Aim }
  | { kind: "accept unread" };

type Fitted = Schemas["FitOut"];

/** Send an edit; what comes back is shown at once, and so are the checks that it starts. */
export function useEdit(conversion: Conversion, project: number) {
  const after = useAfterEdit(conversion, project);
  return useMutation({
    mutationFn: (edit: Edit) => send(conversion, edit),
    onSuccess: after.show,
    onError: after.loadAgain,
  });
}

/** Let the computer tune what is free, but for what is locked. */
export function useFit(conversion: Conversion, project: number) {
  const after = useAfterEdit(conversion, project);
  return useMutation({
    mutationFn: (locked: string[]): Promise<Fitted> =>
      unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/fit", {
          params: { path: { conversion_id: conversion.id }, header: madeOn(conversion) },
          body: { locked },
        }),
      ),
    onSuccess: (fitted) => after.show(fitted.conversion),
    onError: after.loadAgain,
  });
}

function useAfterEdit(conversion: Conversion, project: number) {
  const queries = useQueryClient();
  return {
    show: (changed: Conversion) => {
      queries.setQueryData(keys.conversion(conversion.id), changed);
      void queries.invalidateQueries({ queryKey: keys.maps(conversion.id) });
      void queries.invalidateQueries({ queryKey: keys.jobs(project) });
    },
    loadAgain: () => void queries.invalidateQueries({ queryKey: keys.conversion(conversion.id) }),
  };
}

export function madeOn(conversion: Conversion) {
  return { "if-match": `"${conversion.version}"` };
}

function send(conversion: Conversion, edit: Edit): Promise<Conversion> {
  const path = { conversion_id: conversion.id };
  const header = madeOn(conversion);
  switch (edit.kind) {
    case "set":
      return unwrap(
        client.PATCH("/api/v1/conversions/{conversion_id}/values/{name}", {
          params: { path: { ...path, name: edit.name }, header },
          body: { value: edit.value },
        }),
      );
    case "reset":
      return unwrap(
        client.DELETE("/api/v1/conversions/{conversion_id}/values/{name}", {
          params: { path: { ...path, name: edit.name }, header },
        }),
      );
    case "reset all":
      return unwrap(client.DELETE("/api/v1/conversions/{conversion_id}/values", { params: { path, header } }));
    case "grade":
      return unwrap(
        client.PUT("/api/v1/conversions/{conversion_id}/values/{name}/grade", {
          params: { path: { ...path, name: edit.name }, header },
          body: { steps: edit.steps },
        }),
      );
    case "copy":
      return unwrap(
        client.PUT("/api/v1/conversions/{conversion_id}/values/{name}/copy", {
          params: { path: { ...path, name: edit.name }, header },
          body: edit.from,
        }),
      );
    case "preset":
      return unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/preset", {
          params: { path, header },
          body: { preset: edit.preset },
        }),
      );
    case "aim":
      return unwrap(
        client.PUT("/api/v1/conversions/{conversion_id}/aim", {
          params: { path, header },
          body: { aim: edit.aim },
        }),
      );
    case "accept unread":
      return unwrap(client.PUT("/api/v1/conversions/{conversion_id}/unread/accepted", { params: { path, header } }));
    case "remedy":
      return unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/remedies", {
          params: { path, header },
          body: { code: edit.code, parameter: edit.parameter },
        }),
      );
  }
}
