import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, type Schemas, unwrap } from "./client";
import { useJobMutation } from "./jobs";
import { keys } from "./keys";
import { fileForm } from "./uploading";

/** Check kits, newest first. */
export function useKits(project: number) {
  return useQuery({
    queryKey: keys.kits(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/kits", { params: { path: { project_id: project } } })),
  });
}

/** A kit with what came back for it. */
export function useKit(id: number | undefined) {
  return useQuery({
    queryKey: keys.kit(id),
    enabled: id !== undefined,
    placeholderData: keepPreviousData,
    queryFn: () => unwrap(client.GET("/api/v1/kits/{kit_id}", { params: { path: { kit_id: id ?? 0 } } })),
  });
}

/** The web renderers that can draw a kit: what they are called, by id. */
export function useWebViewers() {
  return useQuery({
    queryKey: keys.webViewers,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/web-viewers")),
  });
}

/** What the stand-in can be set wrong. */
export function useFaults() {
  return useQuery({
    queryKey: keys.faults,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/stand-in/faults")),
  });
}

/** Write a check kit, as a job. */
export function useMakeKit(project: number) {
  return useJobMutation(project, (wish: Schemas["KitIn"]) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/kits", { params: { path: { project_id: project } }, body: wish }),
    ),
  );
}

export type Side = "original" | "converted";

/** Upload a picture that another renderer made of a kit, and compare it, as a job. */
export function useHandInPicture(project: number, kit: number) {
  return useJobMutation(project, ({ file, shows, space }: { file: File; shows: Side; space: string }) => {
    const form = fileForm(file, { shows, space });
    return unwrap(
      client.POST("/api/v1/kits/{kit_id}/pictures", {
        params: { path: { kit_id: kit } },
        body: { file: "", shows, space },
        bodySerializer: () => form,
      }),
    );
  });
}

/** Have the stand-in for another renderer take a kit's picture, as a job. wrong: what is set wrong, "" for nothing. */
export function useStandIn(project: number, kit: number) {
  return useJobMutation(project, (wish: { shows: Side; wrong: string }) =>
    unwrap(client.POST("/api/v1/kits/{kit_id}/stand-in", { params: { path: { kit_id: kit } }, body: wish })),
  );
}

/** Have a web viewer draw a kit's converted materials, as a job. */
export function useWebView(project: number, kit: number) {
  return useJobMutation(project, (viewer: string) =>
    unwrap(client.POST("/api/v1/kits/{kit_id}/web-view", { params: { path: { kit_id: kit }, query: { viewer } } })),
  );
}

export function useDeleteKit(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (kit: number) => unwrap(client.DELETE("/api/v1/kits/{kit_id}", { params: { path: { kit_id: kit } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.kits(project) }),
  });
}
