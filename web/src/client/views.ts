/** Shapes of the server's answers that its description leaves open. */
export interface Fault { where: string; says: string; cure: string; value: string; text: string }

export interface ParamView {
  name: string; label: string; kind: "quantity" | "formula" | "choice" | "flag" | "count" | "text";
  dimension: string; unit: string; why: string; default: string | number | boolean | null;
  choices: string[]; optional: boolean; live: boolean; law: boolean;
}
export type On = "edge" | "repeat" | "zone" | "start";
export interface ConditionView { name: string; label: string; on: On; params: ParamView[]; one_of: string[]; passes: boolean }
export interface PhenomenonView {
  name: string; label: string; summary: string; equation: string; source: string; settings: ParamView[];
  member_settings: ParamView[] | null; member_word: string; conditions: ConditionView[];
  terms: { name: string; tex: string; says: string }[];
}
export type CellState = "given" | "assumed" | "missing" | "overruled" | "absent";
export interface CellView {
  state: CellState; kind: string; text: string; why: string; typed: Record<string, unknown>;
  ruled_by: string; ruled_text: string; overrules: string;
}
export interface ColumnView { id: string; phenomenon: string; member: string; label: string; note: string }
export interface RowView {
  place: string; on: On; label: string; nozzle: boolean; face: boolean; measure: string; cells: Record<string, CellView>;
}
export interface LedgerView { columns: ColumnView[]; rows: RowView[]; counts: Record<"given" | "assumed" | "missing" | "overruled", number> }
export type Segment = [number, number, number, number];
export interface EdgeView { label: string; segments: Segment[]; line: "wall" | "in" | "out" | "open" | "mirror" | "missing" | "repeat"; nozzle: boolean; on: On }
export interface DimensionView {
  axis: "x" | "y" | "r" | "at"; from: [number, number]; to: [number, number]; angle: number; text: string; path: string[];
  typed: string; part: string; index: [number, number] | null; chosen: boolean;
}
export type Box = [number, number, number, number];
export type Point = [number, number];
export interface PartView { box: Box; does: string; shape: string; points: Point[]; centre: Point; outline: Point[] }
export interface SheetView {
  box: Box; drawn: Box; round: boolean; edges: Record<string, EdgeView>; rings: [number, number][][]; zones: Record<string, [number, number][][]>;
  parts: Record<string, PartView>; dimensions: DimensionView[];
  sides: { part: string; side: string; from: Point; to: Point }[]; nozzles: Record<string, { from: Point; to: Point }>;
}
export interface EquationView {
  column: string; label: string; tex: string; source: string; terms: { name: string; tex: string; says: string; dimension: string; id: string; kept: boolean }[];
  letters: { symbol: string; label: string; tex: string }[];
  places: { on: On; tex: string; text: string; assumed: boolean; places: { id: string; label: string }[] }[];
}
export interface Curve { axis: string; axis_unit: string; unit: string; at: number[]; values: (number | null)[]; points?: [number | null, number | null][]; label?: string }
export interface TasteView {
  status: "settled" | "cut short" | "failed" | "taken back"; says: string; factor: number; cells: number; seconds: number; chief: string;
  x: number[]; y: number[]; readouts: Record<string, { value: number | null; unit: string }>; fields: string[];
}
export interface SumEntry { name: string; label: string; dimension: string; default: string; kind: "quantity" | "choice" | "text" | "table"; choices: string[]; columns: [string, string][]; unit: string }
export interface SumView {
  name: string; label: string; group: string; summary: string; source: string; tex: string; range: string; relation: boolean;
  entries: SumEntry[]; gives: { name: string; label: string; dimension: string; unit: string }[];
}
export interface SumAnswer {
  gives: { name: string; label: string; unit: string; value: number | null; typed: string }[]; inside: boolean; table: string[][] | null; curve: Curve | null;
}
export interface Difference { path: string[]; before: unknown; here: unknown }
export interface Finding {
  grade: "stops" | "contradiction" | "doubt"; sentence: string; reason: string; place: string; column: string;
  cure: [string, unknown][]; cure_label: string; key: string; rule: string; settled: string;
}
export interface Regime { symbol: string; name: string; value: number; unit: string; verdict: string; note: string; source: string; tex: string }
export interface PaperRow {
  measured: [number, number] | null; own: string;
  readout: string; label: string; value: number | null; unit: string; by: string; tex: string; source: string;
  range: string; inside: boolean; note: string;
}
export interface Cost { learnt: number; cells: number; smallest: number; steps: number; seconds: number; low: number; high: number; memory: number; disk: number; frames: number; stages: [string, number][] }
export interface CaseData {
  name: string; summary?: string; question?: string; parameters?: Record<string, string | number>;
  vessel: { depth?: string | number; repeats?: string[]; parts: Record<string, Record<string, unknown>>; nozzles?: Record<string, Record<string, unknown>> };
  grid: { size: string | number; refine?: Record<string, { place?: string; box?: unknown[]; gap?: string[]; cells?: number; size?: string | number; growth?: number }>; memory?: string };
  phenomena: Record<string, Record<string, unknown>>;
  conditions?: Record<string, Record<string, Record<string, unknown>>>;
  start?: Record<string, Record<string, Record<string, unknown>>>;
  stages?: Record<string, Record<string, unknown>>;
  readouts?: Record<string, Record<string, unknown>>; variants?: Record<string, Record<string, unknown>>;
  sources?: Record<string, string>; record?: string[]; papers?: Record<string, Record<string, unknown>>;
  derived?: Record<string, { formula: string; unit?: string; label?: string; centred?: boolean }>; keep?: { fields?: string[]; box?: (string | number)[]; watch_every?: number };
}
export interface CaseView {
  variant: string; variants: Record<string, Difference[]>; equations: EquationView[];
  id: string; data: CaseData; name: string; sheet: SheetView; ledger: LedgerView; audit: Finding[]; can_run: boolean;
  regimes: Regime[]; paper: PaperRow[]; added: PaperRow[]; cost: Cost | null;
  grid: { nx: number; ny: number; cells: number; x: number[]; y: number[]; cut: [number, number, number][] } | null;
  phenomena: Record<string, PhenomenonView>; active: string[];
  parameters: { name: string; typed: string | number; value: string; unit: string }[];
  fields: Record<string, { label: string; unit: string; centred: boolean; symbol: string; chief: boolean; component: [string, number] | null }>;
  edge_fields: Record<string, { label: string; unit: string }>; quantities: string[]; wall_quantities: string[];
  places: { edges: string[]; zones: string[] };
  journal: { undo: string | null; redo: string | null; count: number };
}
export interface Watch {
  step: number; time: number; stage: string; mode: string; dt: number; reason: string; residuals: Record<string, number>;
  iterations: number; done: number; wall: number; clock: number; gap: Record<string, number>; readouts: Record<string, number>;
  stage_step: number; stage_time: number;
}
export interface ReadoutResult { value: number | null; unit: string; paper?: number; measured?: [number, number]; margin?: number; order?: number | null; margin_says?: string; why?: string; sampled?: { mean: number; margin: number; deviation: number; since: number; crossings: number } }
export interface BalanceResult {
  in: number; out: number; made: number; stored: number; unit: string; relative: number; stage: string;
  inflow: Record<string, number>; outflow: Record<string, number>;
}
export interface BoxView { volume: number; values: Record<string, { label: string; unit: string; mean: number; low: number; high: number; total: number; total_unit: string }> }
export interface EdgeView { area: number; values: BoxView["values"]; passed: Record<string, { out: number; unit: string }> }
export interface BoxBalanceView { box: number[]; rests: boolean; balance: Record<string, { unit: string; inflow: Record<string, number>; outflow: Record<string, number>; given: number; taken: number; left: number; relative: number }> }
export interface DistributionView { label: string; unit: string; ends: number[]; share: number[]; below: number[]; mean: number; deviation: number; quantiles: Record<string, number>; volume: number }
export interface LaidView { x: number[]; y: number[]; units: [string, string]; assumed: [boolean, boolean]; misfit: { points: number; left_out: number; rms: number; share: number | null; bias: number; worst: number; worst_at: number } }
export interface ProfileView { distance: number[]; x: number[]; y: number[]; value: (number | null)[]; unit: string; drawn: Record<string, string[]> }
export interface HistoryView { label: string; unit: string; time: number[]; value: (number | null)[] }
export interface SpectrumView { unit: string; frequency: number[]; amplitude: number[]; peak: number; height: number; periods: number; mean: number; window: string; doubt: string }
export interface StayView {
  time: number[]; cumulative: number[]; exit_age: number[]; recovered: number; mean: number; variance: number; deviation: number; skewness: number; peak: number;
  tanks: number | null; peclet: number | null; notes: string[]; volume: number | null; open_volume: number; flow: number | null;
}
export interface LiveValue { path: string[]; says: string; typed: unknown; unit: string }
export type RunStatus = "waiting" | "running" | "finished" | "stopped" | "failed" | "interrupted";
export interface RunView {
  id: string; number: number; case: string; serves: string; variant: string; created: number; status: RunStatus; wall: number; frames: number; lines: number; newest: Watch | null;
  message: string; cells: number | null; left: [number, number] | null; expected: [number, number] | null; place: number; helpers: RunStatus[]; adjusted: { clock: number; time: number; step: number; stage: string; words: string }[]; last_frame: number | null;
  result?: { grids?: number[]; readouts?: Record<string, ReadoutResult>; balance?: Record<string, BalanceResult>; steps?: number; warnings?: string[]; wall_s?: number };
  log?: { id: number; clock: number; kind: string; text: string; time: number; step: number }[];
}
export interface ShelfCard {
  id: string; name: string; summary: string; touched: number; demo: string | null; phenomena: string[]; runs: number;
  missing: number; last_run: RunView | null; picture: { run: string; frame: number } | null; trouble?: string; sheet?: { rings: [number, number][][]; box: Box };
}
export interface Outlines { metres_per_unit: number | null; outlines: number; size: Point; units: Record<string, number>; parts: Record<string, Record<string, unknown>> | null }
export interface MatterEntry { id: string; label: string; share: string; own: boolean }
export interface MatterView { phase: string; source: string; typed: Record<string, string>; values: Record<string, { typed: string; unit: string; law: string; law_error: number; curve: Curve }> }
export interface Template { name: string; summary: string; data: CaseData; sheet: { rings: [number, number][][]; box: Box } }
export interface FrameView { id: number; stage: string; axis: string; value: number; step: number }
export interface FramesView {
  chief: string; frames: FrameView[]; x: number[]; y: number[];
  fields: Record<string, { label: string; unit: string; centred: boolean; range: [number, number] | null; derived: boolean }>;
  readouts: Record<string, { label: string; unit: string; late: boolean; value: number | null }>;
}
export interface FieldData { rows: number; columns: number; low: number; high: number; values: Float32Array; step?: number; time?: number; name?: string; unit?: string }
