import type { TargetRef, Sought } from "./types";

/** Under which answers of the server are kept. What begins alike is loaded again together. */
export const keys = {
  // Who is signed in, and who may be
  me: ["me"] as const,
  tokens: ["me", "tokens"] as const,
  people: ["people"] as const,
  audit: ["audit"] as const,
  // Projects and their boards
  projects: ["projects"] as const,
  boards: (project: number) => ["board", project] as const,
  board: (project: number, target: TargetRef | undefined) =>
    ["board", project, target?.model, target?.profile] as const,
  boardPage: (project: number, target: TargetRef | undefined, asked: object, page: number, most: number) =>
    ["board", project, target?.model, target?.profile, "page", asked, page, most] as const,
  boardChoices: (project: number, target: TargetRef) =>
    ["board", project, "choices", target.model, target.profile] as const,
  neighbours: (project: number, target: TargetRef | undefined, asked: object, conversion: number) =>
    ["board", project, target?.model, target?.profile, "around", asked, conversion] as const,
  plan: (project: number, target: TargetRef, chosen: object) =>
    ["board", project, target.model, target.profile, "plan", chosen] as const,
  acts: (project: number) => ["board", project, "acts"] as const,
  savedActs: (project: number) => ["saved acts", project] as const,
  rehearsal: (job: number | undefined) => ["rehearsal", job] as const,
  jobs: (project: number) => ["jobs", project] as const,
  difference: (job: number, earlier: number) => ["difference", job, earlier] as const,
  // One material
  conversions: ["conversion"] as const,
  conversion: (id: number) => ["conversion", id] as const,
  history: (id: number, version: number) => ["conversion", id, "history", version] as const,
  maps: (id: number) => ["conversion", id, "maps"] as const,
  map: (id: number, name: string, wish: object) => ["conversion", id, "maps", name, wish] as const,
  shares: (id: number, version: number) => ["shares", id, version] as const,
  aims: (id: number, version: number) => ["conversion", id, "aims", version] as const,
  comparison: (material: number) => ["comparison", material] as const,
  // What comes in
  intake: (project: number) => ["intake", project] as const,
  found: (intake: number) => ["found", intake] as const,
  foundPage: (intake: number, sought: Sought, page: number) => ["found", intake, sought, page] as const,
  sheet: (intake: number | undefined, file: string) => ["sheet", intake, file] as const,
  // What people write and hand in
  presets: ["presets"] as const,
  dialects: ["dialects"] as const,
  tried: (asked: object) => ["tried", asked] as const,
  targets: (project: number) => ["targets", project] as const,
  profiles: ["profile"] as const,
  profile: (project: number, key: string | undefined) => ["profile", project, key] as const,
  rigs: (project: number) => ["rigs", project] as const,
  stands: (project: number) => ["stands", project] as const,
  photographs: (project: number) => ["photographs", project] as const,
  // Other renderers
  allKits: ["kits"] as const,
  kits: (project: number) => ["kits", project] as const,
  anyKit: ["kit"] as const,
  kit: (id: number | undefined) => ["kit", id] as const,
  webViewers: ["web viewers"] as const,
  faults: ["faults"] as const,
  // Pixels of a picture
  pixels: (key: string) => ["pixels", key] as const,
  flip: (key: string) => ["flip", key] as const,
  webDifference: (of: string, address: string | undefined) => ["web difference", of, address] as const,
  // What stands while the page is open
  models: ["models"] as const,
  metrics: ["metrics"] as const,
  tables: ["tables"] as const,
  state: ["state"] as const,
  topics: ["reference"] as const,
  topic: (id: string) => ["reference", id] as const,
};
