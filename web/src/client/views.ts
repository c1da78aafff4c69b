/** What the server answers with, as its own description says; names that screens use. */
import type { components } from "./schema";

type Told = components["schemas"];

export type On = Told["RowView"]["on"];
export type CellState = Told["CellView"]["state"];
export type Point = [number, number];
export type Box = [number, number, number, number];
export type Segment = [number, number, number, number];
export type RunStatus = Told["RunView"]["status"];
export type Fault = Told["FaultView"];
export type ParamView = Told["ParamView"];
export type ConditionView = Told["ConditionView"];
export type PhenomenonView = Told["PhenomenonView"];
export type Offered = Told["Offered"];
export type Link = Told["Link"];
export type CellView = Told["CellView"];
export type ColumnView = Told["ColumnView"];
export type RowView = Told["RowView"];
export type LedgerView = Told["LedgerView"];
export type DimensionView = Told["DimensionView"];
export type PartView = Told["PartView"];
export type SheetView = Told["SheetView"];
export type EquationView = Told["EquationView"];
export type Curve = Told["Curve"];
export type ShownView = Told["ShownView"];
export type TasteView = Told["TasteView"];
export type SumEntry = Told["SumEntry"];
export type SumView = Told["SumView"];
export type SumAnswer = Told["SumAnswer"];
export type Difference = Told["Difference"];
export type Finding = Told["FindingView"];
export type Regime = Told["RegimeRow"];
export type PaperRow = Told["PaperView"];
export type Cost = Told["Cost"];
export type Watch = Told["Watch"];
export type ReadoutResult = Told["ReadoutResult"];
export type BalanceResult = Told["BalanceResult"];
export type BoxView = Told["BoxView"];
export type BoxBalanceView = Told["BoxBalanceView"];
export type DistributionView = Told["DistributionView"];
export type LaidView = Told["LaidView"];
export type ProofView = Told["ProofView"];
export type ProfileView = Told["ProfileView"];
export type HistoryView = Told["HistoryView"];
export type AgainstView = Told["AgainstView"];
export type SpectrumView = Told["SpectrumView"];
export type StayView = Told["StayView"];
export type LiveValue = Told["LiveValue"];
export type ShelfCard = Told["ShelfCard"];
export type Outlines = Told["Outlines"];
export type KnownSetView = Told["KnownSetView"];
export type MatterEntry = Told["MatterEntry"];
export type MatterView = Told["MatterView"];
export type FrameView = Told["FrameView"];
export type FramesView = Told["FramesView"];
export type PictureView = Told["PictureView"];
export type WallView = Told["WallView"];
export type ProbeView = Told["ProbeView"];
export type EdgeView = Told["EdgeView"];
export type EdgePieces = Told["EdgePieces"];
export type Moments = Told["Moments"];
export type Numbers = Told["Numbers"];
export type SheetEdge = Told["SheetEdge"];

/** A field by formula; `since` a time of the run it is averaged along it. */
export interface Derived {
  formula: string;
  unit?: string;
  label?: string;
  centred?: boolean;
  since?: string | number | null;
  tells?: "mean" | "deviation";
}

/** What screens read of a case file; all of it is in docs/case-schema.json. */
export interface CaseData {
  name: string;
  summary?: string;
  question?: string;
  parameters?: Record<string, string | number>;
  vessel: {
    depth?: string | number;
    repeats?: string[];
    parts: Record<string, Record<string, unknown>>;
    nozzles?: Record<string, Record<string, unknown>>;
  };
  grid: {
    size: string | number;
    refine?: Record<
      string,
      {
        place?: string;
        box?: unknown[];
        gap?: string[];
        cells?: number;
        size?: string | number;
        growth?: number;
      }
    >;
    memory?: string;
  };
  phenomena: Record<string, Record<string, unknown>>;
  conditions?: Record<string, Record<string, Record<string, unknown>>>;
  start?: Record<string, Record<string, Record<string, unknown>>>;
  stages?: Record<string, Record<string, unknown>>;
  readouts?: Record<string, Record<string, unknown>>;
  variants?: Record<string, Record<string, unknown>>;
  sources?: Record<string, string>;
  record?: string[];
  papers?: Record<string, Record<string, unknown>>;
  derived?: Record<string, Derived>;
  keep?: { fields?: string[]; box?: (string | number)[]; watch_every?: number };
}

export type CaseView = Omit<Told["CaseView"], "data"> & { data: CaseData };
export type Template = Omit<Told["Template"], "data"> & { data: CaseData };
/** A run: lists leave the log out. */
export type RunView = Told["RunView"] & { log?: Told["LogLine"][] };

export interface FieldData {
  rows: number;
  columns: number;
  low: number;
  high: number;
  values: Float32Array;
  step?: number;
  time?: number;
  name?: string;
  unit?: string;
  walls?: Point[][] | null; // where they stood, where parts of the vessel move
}
