import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { bodyOf, type Selection } from "./board";
import { client, type Schemas, unwrap } from "./client";
import { useJobMutation } from "./jobs";
import { keys } from "./keys";
import type { TargetRef, Chosen } from "./types";

/** What a delivery of these materials would hold and cost. */
export function usePlan(project: number, target: TargetRef, chosen: Chosen) {
  return useQuery({
    queryKey: keys.plan(project, target, chosen),
    placeholderData: keepPreviousData,
    queryFn: () =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/deliveries/plan", {
          params: { path: { project_id: project } },
          body: { ...chosen, target: target.model, profile: target.profile },
        }),
      ),
  });
}

/** What a delivery holds otherwise than an earlier one. */
export function useDeliveryDifference(job: number, earlier: number) {
  return useQuery({
    queryKey: keys.difference(job, earlier),
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/jobs/{job_id}/archive/since/{earlier_id}", {
          params: { path: { job_id: job, earlier_id: earlier } },
        }),
      ),
  });
}

/** Write materials for a target, as a job; toFolder: into a folder of the server as well. */
export function useDeliver(project: number, target: TargetRef, toFolder: boolean) {
  return useJobMutation(project, (selection: Selection) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/deliveries", {
        params: { path: { project_id: project } },
        body: { ...bodyOf(selection), target: target.model, profile: target.profile, to_folder: toFolder },
      }),
    ),
  );
}

/** Write a report of a project's conversions, as a job. */
export function useReport(project: number, target: TargetRef) {
  return useJobMutation(project, (kind: Schemas["ReportIn"]["kind"]) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/reports", {
        params: { path: { project_id: project } },
        body: { target: target.model, profile: target.profile, kind },
      }),
    ),
  );
}
