import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { Step } from "../parts/grading";
import { client, unwrap, type Schemas } from "./client";

export type Job = Schemas["JobOut"];
export type Project = Schemas["ProjectOut"];
export type BoardRow = Schemas["BoardRow"];
export type Review = Schemas["ReviewDocument"];
export type Conversion = Schemas["ConversionOut"];
export type Check = Schemas["CheckOut"];
export type LedgerEntry = Schemas["LedgerEntry"];
export type Intake = Schemas["IntakeOut"];
export type Found = Schemas["FoundMaterial"];
export type SheetFit = Schemas["SheetFitOut"];
export type Parameter = Schemas["ParameterOut"];
export type Finding = Schemas["Finding"];
export type Comparison = Schemas["Comparison"];
export type Shares = Schemas["SharesOut"];
export type Tables = Schemas["TablesOut"];
export type Target = Schemas["TargetOut"];
export type TargetProfile = Schemas["ProfileFile"];
export type ConversionMap = Schemas["MapOut"];
export type MapView = Schemas["MapPictureOut"];
export type DeliveryPlan = Schemas["PlanOut"];
export type DeliveryDifference = Schemas["DeliveryDifferenceOut"];
export type Preset = Schemas["PresetOut"];
export type Dialect = Schemas["DialectOut"];
export type Tried = Schemas["TryOut"];
export type Decision = Schemas["DecisionDocument"];
export type Reading = Schemas["ReadingOut"];
export type Figures = Schemas["FiguresOut"];
export type LookFrame = Schemas["LookFrame"];
export type Metric = Schemas["MetricOut"];
export type Rig = Schemas["RigOut"];
export type Stand = Schemas["StandOut"];
export type Kit = Schemas["KitOut"];
export type KitDetail = Schemas["KitDetail"];
export type Photograph = Schemas["PhotographOut"];
export type OutsideCheck = Schemas["OutsideCheckOut"];
export type OutsidePicture = Schemas["OutsidePictureOut"];
export type Verdict = Decision["verdict"];

/** Which materials a request is about: by their ids, or by a question to the board. */
export type Chosen = Pick<Schemas["PlanIn"], "material_ids" | "question">;

/** What one converts to, as far as a request names it. */
export type Aim = Pick<Target, "model" | "profile">;

export const keys = {
  projects: ["projects"] as const,
  board: (project: number, aim: Aim | undefined) => ["board", project, aim?.model, aim?.profile] as const,
  boards: (project: number) => ["board", project] as const,
  jobs: (project: number) => ["jobs", project] as const,
  conversion: (id: number) => ["conversion", id] as const,
  maps: (id: number) => ["conversion", id, "maps"] as const,
  map: (id: number, name: string, wish: object) => ["conversion", id, "maps", name, wish] as const,
  shares: (id: number, version: number) => ["shares", id, version] as const,
  comparison: (material: number) => ["comparison", material] as const,
  presets: ["presets"] as const,
  dialects: ["dialects"] as const,
  intake: (project: number) => ["intake", project] as const,
  found: (intake: number) => ["found", intake] as const,
  foundPage: (intake: number, sought: Sought, page: number) => ["found", intake, sought, page] as const,
  sheet: (intake: number | undefined, file: string) => ["sheet", intake, file] as const,
  targets: (project: number) => ["targets", project] as const,
  profile: (project: number, key: string | undefined) => ["profile", project, key] as const,
  boardPage: (project: number, aim: Aim | undefined, asked: object, page: number, most: number) =>
    ["board", project, aim?.model, aim?.profile, "page", asked, page, most] as const,
  boardChoices: (project: number, aim: Aim) => ["board", project, "choices", aim.model, aim.profile] as const,
  neighbours: (project: number, aim: Aim | undefined, asked: object, conversion: number) =>
    ["board", project, aim?.model, aim?.profile, "around", asked, conversion] as const,
  difference: (job: number, earlier: number) => ["difference", job, earlier] as const,
  plan: (project: number, aim: Aim, chosen: object) =>
    ["board", project, aim.model, aim.profile, "plan", chosen] as const,
  kits: (project: number) => ["kits", project] as const,
  kit: (id: number | undefined) => ["kit", id] as const,
  photographs: (project: number) => ["photographs", project] as const,
  models: ["models"] as const,
  metrics: ["metrics"] as const,
  tables: ["tables"] as const,
  rigs: (project: number) => ["rigs", project] as const,
  stands: (project: number) => ["stands", project] as const,
};

export function useProjects() {
  return useQuery({ queryKey: keys.projects, queryFn: () => unwrap(client.GET("/api/v1/projects")) });
}

export function useJobs(project: number) {
  return useQuery({
    queryKey: keys.jobs(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/jobs", { params: { path: { project_id: project } } })),
  });
}

export function useConversion(id: number) {
  return useQuery({
    queryKey: keys.conversion(id),
    queryFn: () =>
      unwrap(client.GET("/api/v1/conversions/{conversion_id}", { params: { path: { conversion_id: id } } })),
  });
}

/** The converted values that are maps; they change with every edit. */
export function useConversionMaps(id: number) {
  return useQuery({
    queryKey: keys.maps(id),
    queryFn: () =>
      unwrap(client.GET("/api/v1/conversions/{conversion_id}/maps", { params: { path: { conversion_id: id } } })),
  });
}

/** A map to look at; what was shown before stays until it is there. */
export function useMapPicture(id: number, name: string, wish: { source?: string; steps?: Step[] }) {
  return useQuery({
    queryKey: keys.map(id, name, wish),
    placeholderData: keepPreviousData,
    queryFn: () =>
      unwrap(
        client.POST("/api/v1/conversions/{conversion_id}/maps/{name}/picture", {
          params: { path: { conversion_id: id, name } },
          body: { source: wish.source ?? "", steps: wish.steps ?? null },
        }),
      ),
  });
}

/** Where the remaining difference comes from; another version of the conversion is another question. */
export function useShares(id: number, version: number) {
  return useQuery({
    queryKey: keys.shares(id, version),
    staleTime: Infinity,
    queryFn: () =>
      unwrap(client.GET("/api/v1/conversions/{conversion_id}/shares", { params: { path: { conversion_id: id } } })),
  });
}

export function useComparison(material: number) {
  return useQuery({
    queryKey: keys.comparison(material),
    queryFn: () =>
      unwrap(client.GET("/api/v1/materials/{material_id}/targets", { params: { path: { material_id: material } } })),
  });
}

export function usePresets() {
  return useQuery({ queryKey: keys.presets, queryFn: () => unwrap(client.GET("/api/v1/presets")) });
}

export function useDialects() {
  return useQuery({ queryKey: keys.dialects, queryFn: () => unwrap(client.GET("/api/v1/dialects")) });
}

/** Tables, models, metrics, rigs, stands and the engine's state do not change while the page is open. */
export function useTables() {
  return useQuery({
    queryKey: keys.tables,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/tables")),
  });
}

/** What was uploaded last and has not entered the board; null for nothing. The server keeps it while one is elsewhere. */
export function useOpenIntake(project: number) {
  return useQuery({
    queryKey: keys.intake(project),
    gcTime: 0,
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/intakes/open", { params: { path: { project_id: project } } })),
  });
}

/** Which of the materials that were found are looked at; empty for all. */
export interface Sought {
  find: string;
  file: string;
  model: string;
  doubts: Schemas["MarkTakenIn"]["doubts"];
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

/** What a delivery of these materials would hold and cost. */
export function usePlan(project: number, aim: Aim, chosen: Chosen) {
  return useQuery({
    queryKey: keys.plan(project, aim, chosen),
    placeholderData: keepPreviousData,
    queryFn: () =>
      unwrap(
        client.POST("/api/v1/projects/{project_id}/deliveries/plan", {
          params: { path: { project_id: project } },
          body: { ...chosen, target: aim.model, profile: aim.profile },
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

/** Photographs that were uploaded to a project, oldest first. */
export function usePhotographs(project: number) {
  return useQuery({
    queryKey: keys.photographs(project),
    queryFn: () =>
      unwrap(client.GET("/api/v1/projects/{project_id}/photographs", { params: { path: { project_id: project } } })),
  });
}

/** The web renderers that can draw a kit: what they are called, by id. */
export function useWebViewers() {
  return useQuery({
    queryKey: ["web viewers"],
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/web-viewers")),
  });
}

/** What the stand-in can be set wrong. */
export function useFaults() {
  return useQuery({
    queryKey: ["faults"],
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/stand-in/faults")),
  });
}

export function useModels() {
  return useQuery({
    queryKey: keys.models,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/models")),
  });
}

export function useMetrics() {
  return useQuery({
    queryKey: keys.metrics,
    staleTime: Infinity,
    queryFn: () => unwrap(client.GET("/api/v1/metrics")),
  });
}

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

export function useEngineState() {
  return useQuery({ queryKey: ["state"], staleTime: Infinity, queryFn: () => unwrap(client.GET("/api/v1/state")) });
}

/** Milliseconds over which events are gathered, so that a job of thousands does not load the board thousands of times. */
const BREATH = 600;

/** Follow the project's jobs; whatever they change is loaded again. */
export function useJobEvents(project: number | undefined) {
  const queries = useQueryClient();
  useEffect(() => {
    if (project === undefined) return undefined;
    let pending: ReturnType<typeof setTimeout> | undefined;
    const loadAgain = () => {
      pending = undefined;
      void queries.invalidateQueries({ queryKey: keys.boards(project) });
      for (const key of ["conversion", "kits", "kit"]) void queries.invalidateQueries({ queryKey: [key] });
    };
    const events = new EventSource(`/api/v1/projects/${project}/events`);
    events.addEventListener("job", (event: MessageEvent<string>) => {
      const job = JSON.parse(event.data) as Job;
      queries.setQueryData<Job[]>(keys.jobs(project), (known) =>
        [job, ...(known ?? []).filter((other) => other.id !== job.id)].sort((a, b) => b.id - a.id),
      );
      pending ??= setTimeout(loadAgain, BREATH);
    });
    return () => {
      clearTimeout(pending);
      events.close();
    };
  }, [project, queries]);
}
