import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, unwrap } from "./client";
import { keys } from "./keys";
import type { TargetProfile } from "./types";

/** Targets, with the profiles that a project's people wrote. */
export function useTargets(project: number) {
  return useQuery({
    queryKey: keys.targets(project),
    staleTime: Infinity,
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/targets", { params: { path: { project_id: project } } })),
  });
}

export function useProfile(project: number, key: string | undefined) {
  return useQuery({
    queryKey: keys.profile(project, key),
    enabled: key !== undefined,
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/projects/{project_id}/profiles/{key}", {
          params: { path: { project_id: project, key: key ?? "" } },
        }),
      ),
  });
}

/** Keep a target profile with the project; what was converted to it is computed again. */
export function useSaveProfile(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ stated, version }: { stated: TargetProfile; version: number }) =>
      unwrap(
        client.PUT("/api/v1/projects/{project_id}/profiles/{key}", {
          params: { path: { project_id: project, key: stated.id }, header: { "if-match": `"${version}"` } },
          body: stated,
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.targets(project) });
      void queries.invalidateQueries({ queryKey: keys.profiles });
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      void queries.invalidateQueries({ queryKey: keys.conversions });
    },
  });
}

export function useDeleteProfile(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (key: string) =>
      unwrap(
        client.DELETE("/api/v1/projects/{project_id}/profiles/{key}", {
          params: { path: { project_id: project, key } },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.targets(project) }),
  });
}

/** A target profile from the text of its file, which is not kept by that. */
export function useReadProfile() {
  return useMutation({
    mutationFn: (text: string) => unwrap(client.POST("/api/v1/profiles/read", { body: { text } })),
  });
}
