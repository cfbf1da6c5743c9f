import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, type Schemas, unwrap } from "./client";
import { keys } from "./keys";
import { fileForm } from "./uploading";

/** Photographs that were uploaded to a project, oldest first. */
export function usePhotographs(project: number) {
  return useQuery({
    queryKey: keys.photographs(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/photographs", { params: { path: { project_id: project } } })),
  });
}

/** Upload a photograph to look at beside a render. */
export function useHandInPhotograph(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (file: File) => {
      const form = fileForm(file);
      return unwrap(
        client.POST("/api/v1/projects/{project_id}/photographs", {
          params: { path: { project_id: project } },
          body: { file: "" },
          bodySerializer: () => form,
        }),
      );
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.photographs(project) }),
  });
}

/** The colour of an area of a photograph, once a grey or a chart has set exposure and white. */
export function usePick(project: number, key: string) {
  return useMutation({
    mutationFn: (wish: Schemas["PickIn"]) =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/photographs/{key}/pick", {
          params: { path: { project_id: project, key } },
          body: wish,
        }),
      ),
  });
}
