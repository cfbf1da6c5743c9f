import { useMutation, useQueryClient } from "@tanstack/react-query";
import { bodyOf, type Selection } from "./board";
import { client, unwrap, type Schemas } from "./client";
import { madeOn } from "./edits";
import { keys, type Aim, type Conversion, type Job, type TargetProfile } from "./queries";
import { uploading } from "./uploading";

/** A file, and what is said of it, as a form that a request carries. */
function fileForm(file: File, said: Record<string, string> = {}): FormData {
  const form = new FormData();
  form.append("file", file);
  for (const [name, value] of Object.entries(said)) form.append(name, value);
  return form;
}

/** Start a job and show it at once. */
function useJobMutation<Arguments>(project: number, start: (given: Arguments) => Promise<Job>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: start,
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.jobs(project) }),
  });
}

/** Convert and check materials to a target, as a job. */
export function useConvert(project: number, aim: Aim) {
  return useJobMutation(project, (selection: Selection) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/conversions", {
        params: { path: { project_id: project } },
        body: { ...bodyOf(selection), target: aim.model, profile: aim.profile },
      }),
    ),
  );
}

/** Write materials for a target, as a job; toFolder: into a folder of the server as well. */
export function useDeliver(project: number, aim: Aim, toFolder: boolean) {
  return useJobMutation(project, (selection: Selection) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/deliveries", {
        params: { path: { project_id: project } },
        body: { ...bodyOf(selection), target: aim.model, profile: aim.profile, to_folder: toFolder },
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
export function useAcceptAll(project: number, aim: Aim) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/reviews", {
          params: { path: { project_id: project } },
          body: { target: aim.model, profile: aim.profile },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.boards(project) }),
  });
}

/** Write a report of a project's conversions, as a job. */
export function useReport(project: number, aim: Aim) {
  return useJobMutation(project, (kind: Schemas["ReportIn"]["kind"]) =>
    unwrap(
      client.POST("/api/v1/projects/{project_id}/reports", {
        params: { path: { project_id: project } },
        body: { target: aim.model, profile: aim.profile, kind },
      }),
    ),
  );
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
      void queries.invalidateQueries({ queryKey: ["profile"] });
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      void queries.invalidateQueries({ queryKey: ["conversion"] });
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
      void queries.invalidateQueries({ queryKey: ["conversion"] });
    },
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
      void queries.invalidateQueries({ queryKey: ["conversion"] });
    },
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
      void queries.invalidateQueries({ queryKey: ["conversion"] });
    },
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

export function useDeleteKit(project: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (kit: number) => unwrap(client.DELETE("/api/v1/kits/{kit_id}", { params: { path: { kit_id: kit } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.kits(project) }),
  });
}

export function useJobAct(project: number, job: number) {
  return useJobMutation(project, (verb: "cancel" | "pause" | "resume") =>
    unwrap(client.POST(`/api/v1/jobs/{job_id}/${verb}`, { params: { path: { job_id: job } } })),
  );
}

export function useNewProject() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (name: string) => unwrap(client.POST("/api/v1/projects", { body: { name } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.projects }),
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
    mutationFn: (aim: Aim) =>
      unwrap(
        client.POST("/api/v1/intakes/{intake_id}/accept", {
          params: { path: { intake_id: intake } },
          body: { target: aim.model, profile: aim.profile },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: keys.projects });
      await queries.invalidateQueries({ queryKey: keys.boards(project) });
    },
  });
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
