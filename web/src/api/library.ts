import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, type Schemas, unwrap } from "./client";
import { keys } from "./keys";

export function usePresets() {
  return useQuery({ queryKey: keys.presets, queryFn: () => unwrap(client.GET("/api/v1/presets")) });
}

export function useDialects() {
  return useQuery({ queryKey: keys.dialects, queryFn: () => unwrap(client.GET("/api/v1/dialects")) });
}

export function useStartFromPreset(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (start: Schemas["StartIn"]) =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/materials", {
          params: { path: { project_id: project } },
          body: start,
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.projects }),
  });
}

export function useKeepPreset() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (preset: Schemas["PresetIn"]) => unwrap(client.POST("/api/v1/presets", { body: preset })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.presets }),
  });
}

/** Rename an own named surface, or take it away. */
export function useOwnPreset() {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: keys.presets });
  const rename = useMutation({
    mutationFn: ({ key, ...body }: { key: string; name: string; says: string }) =>
      unwrap(client.PUT("/api/v1/presets/{key}/name", { params: { path: { key } }, body })),
    onSuccess,
  });
  const remove = useMutation({
    mutationFn: (key: string) => unwrap(client.DELETE("/api/v1/presets/{key}", { params: { path: { key } } })),
    onSuccess,
  });
  return { rename, remove };
}

export function useOpenDialect() {
  return useMutation({
    mutationFn: (key: string) => unwrap(client.GET("/api/v1/dialects/{key}", { params: { path: { key } } })),
  });
}

/** Save a dialect over the version that was read. */
export function useSaveDialect() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ key, version, text }: { key: string; version: number; text: string }) =>
      unwrap(
        client.PUT("/api/v1/dialects/{key}", {
          params: { path: { key }, header: { "if-match": `"${version}"` } },
          body: { text },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.dialects }),
  });
}

/** Give an own dialect another id. */
export function useRenameDialect() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ key, version, id }: { key: string; version: number; id: string }) =>
      unwrap(
        client.POST("/api/v1/dialects/{key}/name", {
          params: { path: { key }, header: { "if-match": `"${version}"` } },
          body: { id },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.dialects }),
  });
}

export function useDeleteDialect() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (key: string) => {
      await unwrap(client.DELETE("/api/v1/dialects/{key}", { params: { path: { key } } }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.dialects }),
  });
}
