import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, type Schemas, unwrap } from "./client";
import { keys } from "./keys";
import type { TargetRef, Sought } from "./types";
import { uploading } from "./uploading";

/** What was uploaded last and has not entered the board; null for nothing. The server keeps it while one is elsewhere. */
export function useOpenIntake(project: number) {
  return useQuery({
    queryKey: keys.intake(project),
    gcTime: 0,
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/intakes/open", { params: { path: { project_id: project } } })),
  });
}

/** Found materials on a page of the table. */
export const FOUND_ON_A_PAGE = 50;

/** A page of what was found, from 1. What was seen stays until the next is there. */
export function useFound(intake: number, sought: Sought, page: number) {
  return useQuery({
    queryKey: keys.foundPage(intake, sought, page),
    placeholderData: keepPreviousData,
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/intakes/{intake_id}/found", {
          params: {
            path: { intake_id: intake },
            query: { ...sought, offset: (page - 1) * FOUND_ON_A_PAGE, most: FOUND_ON_A_PAGE },
          },
        }),
      ),
  });
}

/** How well dialects fit a parameter sheet of an intake, and a draft of one of its own. */
export function useSheetFit(intake: number | undefined, file: string) {
  return useQuery({
    queryKey: keys.sheet(intake, file),
    enabled: intake !== undefined && file !== "",
    queryFn: () =>
      unwrap(
        client.GET("/api/v1/intakes/{intake_id}/sheet", {
          params: { path: { intake_id: intake ?? 0 }, query: { file } },
        }),
      ),
  });
}

/** Every way to change what was uploaded; each but the first reads files again. */
export type IntakeChange =
  | { kind: "take"; wanted: Schemas["MarkTakenIn"] }
  | { kind: "add"; files: File[]; tell: Tell }
  | { kind: "search"; folder: string }
  | { kind: "namesake"; name: string; path: string }
  | { kind: "takeBack"; position: number }
  | { kind: "dialect"; file: string; dialect: string }
  | { kind: "unit"; metres: number }
  | { kind: "correct"; position: number; correction: Schemas["Correction"] };

/** Told how much of the files has arrived, 0…1. */
export type Tell = (share: number) => void;

/** Hand files in, which begins an intake; nothing enters the board yet. */
export function useHandIn(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ files, tell }: { files: File[]; tell: Tell }) =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/intakes", {
          params: { path: { project_id: project } },
          body: { files: [] },
          bodySerializer: () => formOf(files),
          fetch: uploading(tell),
        }),
      ),
    onSuccess: (made) => queries.setQueryData(keys.intake(project), made),
  });
}

export function useChangeIntake(project: number, intake: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationKey: keys.found(intake),
    mutationFn: (change: IntakeChange) => changed(intake, change),
    // A tick shows at once, whatever the server takes; a page that is being fetched holds the state before it, and is not wanted any more.
    onMutate: async (change) => {
      if (change.kind !== "take" || !change.wanted.positions) return;
      await queries.cancelQueries({ queryKey: keys.found(intake) });
      const { positions, taken } = change.wanted;
      queries.setQueriesData<Schemas["FoundOut"]>({ queryKey: keys.found(intake) }, (page) => {
        const ticked = (row: Schemas["FoundMaterial"]) => (positions.includes(row.position) ? { ...row, taken } : row);
        return page && { ...page, rows: page.rows.map(ticked) };
      });
    },
    onSuccess: (read) => queries.setQueryData(keys.intake(project), read),
    // Only after the last of several changes does the server know all of them.
    onSettled: () => {
      if (queries.isMutating({ mutationKey: keys.found(intake) }) > 1) return;
      return queries.invalidateQueries({ queryKey: keys.found(intake) });
    },
  });
}

/** Put what was uploaded aside. */
export function useForgetIntake(project: number, intake: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => unwrap(client.DELETE("/api/v1/intakes/{intake_id}", { params: { path: { intake_id: intake } } })),
    onSuccess: () => queries.setQueryData(keys.intake(project), null),
  });
}

function changed(intake: number, change: IntakeChange) {
  const path = { intake_id: intake };
  switch (change.kind) {
    case "take":
      return unwrap(client.PUT("/api/v1/intakes/{intake_id}/taken", { params: { path }, body: change.wanted }));
    case "add":
      return unwrap(
        client.POST("/api/v1/intakes/{intake_id}/files", {
          params: { path },
          body: { files: [] },
          bodySerializer: () => formOf(change.files),
          fetch: uploading(change.tell),
        }),
      );
    case "search":
      return unwrap(
        client.POST("/api/v1/intakes/{intake_id}/search", { params: { path }, body: { folder: change.folder } }),
      );
    case "namesake":
      return unwrap(
        client.PUT("/api/v1/intakes/{intake_id}/namesake", {
          params: { path },
          body: { name: change.name, path: change.path },
        }),
      );
    case "takeBack":
      return unwrap(
        client.DELETE("/api/v1/intakes/{intake_id}/found/{position}/corrections", {
          params: { path: { ...path, position: change.position } },
        }),
      );
    case "dialect":
      return unwrap(
        client.PUT("/api/v1/intakes/{intake_id}/dialect", {
          params: { path },
          body: { file: change.file, dialect: change.dialect },
        }),
      );
    case "unit":
      return unwrap(
        client.PUT("/api/v1/intakes/{intake_id}/unit", { params: { path }, body: { metres: change.metres } }),
      );
    case "correct":
      return unwrap(
        client.POST("/api/v1/intakes/{intake_id}/found/{position}/corrections", {
          params: { path: { ...path, position: change.position } },
          body: change.correction,
        }),
      );
  }
}

function formOf(files: File[]): FormData {
  const form = new FormData();
  for (const file of files) form.append("files", file, file.webkitRelativePath || file.name);
  return form;
}

/** Take found materials onto the board. */
export function useAccept(project: number, intake: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (target: TargetRef) =>
      unwrap(
        client.POST("/api/v1/intakes/{intake_id}/accept", {
          params: { path: { intake_id: intake } },
          body: { target: target.model, profile: target.profile },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: keys.projects });
      await queries.invalidateQueries({ queryKey: keys.boards(project) });
    },
  });
}
