import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, unwrap } from "./client";
import { keys } from "./keys";
import { useProjects } from "./projects";
import { fileForm } from "./uploading";

/** Light rigs, with those that were uploaded to a project. */
export function useRigs(project: number) {
  return useQuery({
    queryKey: keys.rigs(project),
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/rigs", { params: { query: { project_id: project } } })),
  });
}

/** The rigs under which everything of a project is looked at, by the ids that checks name. */
export function useProjectRigs(project: number): { id: string; title: string }[] {
  const chosen = useProjects().data?.find(({ id }) => id === project)?.rigs ?? [];
  const known = useRigs(project).data ?? [];
  return chosen.map((id) => ({ id, title: known.find((rig) => rig.id === id.split(":")[0])?.title ?? id }));
}

/** Stands, with the meshes that were uploaded to a project. */
export function useStands(project: number) {
  return useQuery({
    queryKey: keys.stands(project),
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/stands", { params: { query: { project_id: project } } })),
  });
}

/** Upload a picture of surroundings, which is a rig from then on, or a mesh, which is a stand. */
export function useHandInSurroundings(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (file: File) => {
      const form = fileForm(file);
      return unwrap(
        client.POST("/api/v1/projects/{project_id}/surroundings", {
          params: { path: { project_id: project } },
          body: { file: "" },
          bodySerializer: () => form,
        }),
      );
    },
    onSuccess: () =>
      Promise.all(
        [keys.rigs(project), keys.stands(project)].map((queryKey) => queries.invalidateQueries({ queryKey })),
      ),
  });
}
