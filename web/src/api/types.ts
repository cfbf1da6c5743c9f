import type { Schemas } from "./client";

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

/** What converted values are to be good for. */
export type Aim = Conversion["aim"];
export type ComparedAim = Schemas["ComparedAim"];
export type Plainness = Schemas["PlainnessDocument"];

/** What one converts to, as far as a request names it. */
export type TargetRef = Pick<Target, "model" | "profile">;

/** Which of the materials that were found are looked at; empty for all. */
export interface Sought {
  find: string;
  file: string;
  model: string;
  doubts: Schemas["MarkTakenIn"]["doubts"];
}
