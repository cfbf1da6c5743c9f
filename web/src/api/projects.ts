import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, type Schemas, unwrap } from "./client";
import { keys } from "./keys";
import type { Aim } from "./types";

export function useProjects() {
  return useQuery({ queryKey: keys.projects, queryFn: () => unwrap(client.GET("/api/v1/projects")) });
}

/** Set what a match and near may read; every verdict is judged again. */
export function useSetTolerances(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (limits: Schemas["TolerancesIn"]["limits"]) =>
      unwrap(
        client.PUT("/api/v1/projects/{project_id}/tolerances", {
          params: { path: { project_id: project } },
          body: { limits },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.projects });
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      void queries.invalidateQueries({ queryKey: keys.conversions });
    },
  });
}

/** Set what values of conversions are good for that are made from now on. */
export function useSetAim(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (aim: Aim) =>
      unwrap(
        client.PUT("/api/v1/projects/{project_id}/aim", { params: { path: { project_id: project } }, body: { aim } }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.projects }),
  });
}

/** Choose the rigs under which everything of a project is looked at. */
export function useChooseRigs(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (rigs: string[]) =>
      unwrap(
        client.PUT("/api/v1/projects/{project_id}/rigs", { params: { path: { project_id: project } }, body: { rigs } }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.projects });
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      void queries.invalidateQueries({ queryKey: keys.conversions });
    },
  });
}

export function useNewProject() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (name: string) => unwrap(client.POST("/api/v1/projects", { body: { name } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.projects }),
  });
}
