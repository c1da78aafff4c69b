/** The only place that talks to the server: a typed client made from the server's own description. */
import createClient from "openapi-fetch";
import type { paths } from "./schema";
import type {
  AgainstView,
  BoxBalanceView,
  BoxView,
  CaseView,
  Curve,
  DistributionView,
  EdgePieces,
  EdgeView,
  Fault,
  FieldData,
  FramesView,
  HistoryView,
  KnownSetView,
  LaidView,
  LiveValue,
  MatterEntry,
  MatterView,
  Offered,
  Outlines,
  Point,
  ProfileView,
  ProofView,
  RunView,
  ShelfCard,
  ShownView,
  SpectrumView,
  StayView,
  SumAnswer,
  SumView,
  TasteView,
  Template,
  Watch,
} from "./views";

const client = createClient<paths>({ baseUrl: "/" });

/** The server refused; `faults` name the place, the value and the cure. */
export class Refusal extends Error {
  constructor(
    readonly faults: Fault[],
    text: string,
  ) {
    super(text);
  }
}

interface Answer {
  data?: unknown;
  error?: unknown;
  response: Response;
}

function settle<T>({ data, error, response }: Answer): T {
  if (response.ok) return data as T;
  const told = error as { faults?: Fault[]; text?: string } | undefined;
  const text = told?.text ?? `The server answered ${response.status}.`;
  throw new Refusal(told?.faults ?? [], text);
}

/** Things followed one by one: `rows` of `of` them, with a value for each of the entries. */
export interface Followed {
  rows: number;
  of: number;
  entries: string[];
  values: Float32Array;
}

/** A small JSON header, then float32 values. */
function unpacked<T>(bytes: ArrayBuffer): { header: T; values: Float32Array } {
  const size = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, size))) as T;
  return { header, values: new Float32Array(bytes, 4 + size) };
}

async function fieldOf(answer: Promise<Answer>): Promise<FieldData | null> {
  const got = await answer;
  if (got.response.status === 204) return null;
  const { header, values } = unpacked<Omit<FieldData, "values">>(settle<ArrayBuffer>(got));
  return { ...header, values };
}

const of = (id: string, variant: string) => ({ params: { path: { case: id }, query: { variant } } });
const at = (id: string) => ({ params: { path: { case: id } } });
const run = (id: string) => ({ params: { path: { run: id } } });
const raw = { parseAs: "arrayBuffer" as const };

export const api = {
  about: async () => settle<{ notice: string }>(await client.GET("/api/about")),
  cases: async () => settle<ShelfCard[]>(await client.GET("/api/cases")),
  outlines: async (file: File, unit = "") =>
    settle<Outlines>(
      await client.POST("/api/outlines", {
        params: { query: { name: file.name, unit } },
        body: (await file.arrayBuffer()) as never,
        bodySerializer: (b: unknown) => b as ArrayBuffer,
        headers: { "Content-Type": "application/octet-stream" },
      } as never),
    ),
  board: async (id: string, variant: string) =>
    settle<Offered[]>(await client.GET("/api/cases/{case}/board", of(id, variant))),
  start: (id: string, column: string, variant: string) =>
    fieldOf(
      client.GET("/api/cases/{case}/start/{column}", {
        params: { path: { case: id, column }, query: { variant } },
        ...raw,
      }) as Promise<Answer>,
    ),
  known: async (phenomenon: string, key: string) =>
    settle<KnownSetView[]>(
      await client.GET("/api/known/{phenomenon}", { params: { path: { phenomenon }, query: { key } } }),
    ),
  matters: async (text: string) =>
    settle<MatterEntry[]>(await client.GET("/api/matter", { params: { query: { text } } })),
  matter: async (
    entry: string,
    state: { temperature: string; pressure: string; share: string; spread: string },
  ) =>
    settle<MatterView>(
      await client.GET("/api/matter/{entry}", { params: { path: { entry }, query: state } }),
    ),
  keepMatter: async (own: { label: string; source: string; properties: Record<string, string> }) =>
    settle<{ id: string }>(await client.POST("/api/matter", { body: own })),
  dropMatter: async (entry: string) =>
    settle(await client.DELETE("/api/matter/{entry}", { params: { path: { entry } } })),
  taste: async (id: string, variant: string) =>
    settle<TasteView>(await client.POST("/api/cases/{case}/taste", of(id, variant))),
  tasteField: (id: string, name: string) =>
    fieldOf(
      client.GET("/api/cases/{case}/taste/{name}", {
        params: { path: { case: id, name } },
        ...raw,
      }) as Promise<Answer>,
    ),
  sums: async () => settle<SumView[]>(await client.GET("/api/sums")),
  workOut: async (name: string, entries: Record<string, string>, id: string, variant: string) =>
    settle<SumAnswer>(
      await client.POST("/api/sums/{name}", {
        params: { path: { name } },
        body: { entries, case: id, variant },
      }),
    ),
  templates: async () => settle<Template[]>(await client.GET("/api/templates")),
  proofs: async () => settle<ProofView[]>(await client.GET("/api/proofs")),
  proof: async (name: string) =>
    settle<object>(await client.GET("/api/proofs/{name}", { params: { path: { name } } })),
  addCase: async (data: object) =>
    settle<{ id: string }>(await client.POST("/api/cases", { body: data as never })),
  addText: async (text: string) =>
    settle<{ id: string }>(
      await client.POST("/api/cases", {
        body: text as never,
        bodySerializer: (b: unknown) => b as string,
        headers: { "Content-Type": "application/json" },
      }),
    ),
  case: async (id: string, variant = "") =>
    settle<CaseView>(await client.GET("/api/cases/{case}", of(id, variant))),
  runCase: async (id: string) => settle<CaseView>(await client.GET("/api/runs/{run}/case", run(id))),
  edit: async (id: string, patch: Record<string, unknown>, label: string, variant = "") =>
    settle<CaseView>(await client.PATCH("/api/cases/{case}", { ...at(id), body: { patch, label, variant } })),
  undo: async (id: string, variant = "") =>
    settle<CaseView>(await client.POST("/api/cases/{case}/undo", of(id, variant))),
  redo: async (id: string, variant = "") =>
    settle<CaseView>(await client.POST("/api/cases/{case}/redo", of(id, variant))),
  copy: async (id: string) => settle<{ id: string }>(await client.POST("/api/cases/{case}/copy", at(id))),
  remove: async (id: string) => settle(await client.DELETE("/api/cases/{case}", at(id))),
  restore: async (id: string) => settle(await client.POST("/api/cases/{case}/restore", at(id))),
  understand: async (
    id: string,
    typed: {
      phenomenon: string;
      on: string;
      kind: string;
      param: string;
      text: unknown;
      variant: string;
      place: string;
    },
  ) =>
    settle<{ text: string; curve: Curve | null }>(
      await client.POST("/api/cases/{case}/understand", { ...at(id), body: typed }),
    ),
  shown: async (id: string, at_: string, variant: string) =>
    settle<ShownView>(
      await client.GET("/api/cases/{case}/shown", {
        params: { path: { case: id }, query: { at: at_, variant } },
      }),
    ),
  fire: async (id: string, variant = "") =>
    settle<{ id: string; number: number }>(
      await client.POST("/api/cases/{case}/fire", { ...at(id), body: { variant, grid: 1, anew: false } }),
    ),
  runs: async (id: string) => settle<RunView[]>(await client.GET("/api/cases/{case}/runs", at(id))),
  run: async (id: string) => settle<RunView>(await client.GET("/api/runs/{run}", run(id))),
  watches: async (id: string, after: number) =>
    settle<Watch[]>(
      await client.GET("/api/runs/{run}/watches", { params: { path: { run: id }, query: { after } } }),
    ),
  order: async (id: string, kind: string, field = "", seconds = 10) =>
    settle(await client.POST("/api/runs/{run}/orders", { ...run(id), body: { kind, field, seconds } })),
  askFurther: async (id: string) =>
    settle<{ id: string; helpers: number }>(await client.POST("/api/runs/{run}/further", run(id))),
  askMargin: async (id: string) =>
    settle<{ id: string; helpers: number }>(await client.POST("/api/runs/{run}/margin", run(id))),
  liveValues: async (id: string) => settle<LiveValue[]>(await client.GET("/api/runs/{run}/adjust", run(id))),
  adjust: async (id: string, patch: Record<string, unknown>) =>
    settle<{ words: string }>(
      await client.POST("/api/runs/{run}/adjust", {
        ...run(id),
        body: { patch, label: "adjust", variant: "" },
      }),
    ),
  keepAsVariant: async (id: string, variant: string) =>
    settle<{ variant: string }>(
      await client.POST("/api/runs/{run}/variant", { ...run(id), body: { patch: {}, label: "", variant } }),
    ),
  dropRun: async (id: string) => settle(await client.DELETE("/api/runs/{run}", run(id))),
  resume: async (id: string) => settle(await client.POST("/api/runs/{run}/resume", run(id))),
  live: (id: string) =>
    fieldOf(client.GET("/api/runs/{run}/live", { ...run(id), ...raw }) as Promise<Answer>),
  frames: async (id: string) => settle<FramesView>(await client.GET("/api/runs/{run}/frames", run(id))),
  field: (id: string, frame: number, name: string) =>
    fieldOf(
      client.GET("/api/runs/{run}/frames/{frame}/{name}", {
        params: { path: { run: id, frame, name } },
        ...raw,
      }) as Promise<Answer>,
    ),
  walls: async (id: string, frame: number) =>
    settle<{ rings: Point[][] }>(
      await (client.GET("/api/runs/{run}/frames/{frame}/walls", {
        params: { path: { run: id, frame } },
      }) as Promise<Answer>),
    ),
  edgeFluxes: async (id: string, frame: number, quantity: string) =>
    settle<EdgePieces>(
      await client.GET("/api/runs/{run}/frames/{frame}/edges/{quantity}", {
        params: { path: { run: id, frame, quantity } },
      }),
    ),
  listing: async (id: string, frame: number, name: string): Promise<Followed> => {
    const got = await (client.GET("/api/runs/{run}/frames/{frame}/listings/{name}", {
      params: { path: { run: id, frame, name } },
      ...raw,
    }) as Promise<Answer>);
    const { header, values } = unpacked<Omit<Followed, "values">>(settle<ArrayBuffer>(got));
    return { ...header, values };
  },
  thumb: (id: string, frame: number, name: string) =>
    fieldOf(
      client.GET("/api/runs/{run}/thumbs/{frame}/{name}", {
        params: { path: { run: id, frame, name } },
        ...raw,
      }) as Promise<Answer>,
    ),
  probe: async (id: string, frame: number, x: number, y: number) =>
    settle<{ values: Record<string, { value: number; unit: string; label: string }> }>(
      await client.GET("/api/runs/{run}/probe", { params: { path: { run: id }, query: { frame, x, y } } }),
    ),
  box: async (id: string, q: { frame: number; x0: number; y0: number; x1: number; y1: number }) =>
    settle<BoxView>(await client.GET("/api/runs/{run}/box", { params: { path: { run: id }, query: q } })),
  profile: async (
    id: string,
    q: { frame: number; name: string; x0: number; y0: number; x1: number; y1: number; radius: number },
  ) =>
    settle<ProfileView>(
      await client.GET("/api/runs/{run}/profile", { params: { path: { run: id }, query: q } }),
    ),
  boxBalance: async (id: string, q: { x0: number; y0: number; x1: number; y1: number }) =>
    settle<BoxBalanceView>(
      await client.GET("/api/runs/{run}/balance", { params: { path: { run: id }, query: q } }),
    ),
  distribution: async (
    id: string,
    name: string,
    q: { frame: number; bins: number; x0?: number; y0?: number; x1?: number; y1?: number },
  ) =>
    settle<DistributionView>(
      await client.GET("/api/runs/{run}/distribution/{name}", {
        params: { path: { run: id, name }, query: q },
      }),
    ),
  edge: async (id: string, frame: number, edge: string) =>
    settle<EdgeView>(
      await client.GET("/api/runs/{run}/edge", { params: { path: { run: id }, query: { frame, edge } } }),
    ),
  point: async (id: string, name: string, x: number, y: number) =>
    settle<HistoryView>(
      await client.GET("/api/runs/{run}/point/{name}", {
        params: { path: { run: id, name }, query: { x, y } },
      }),
    ),
  over: (id: string, name: string, what: string, since: string, until: string) =>
    fieldOf(
      client.GET("/api/runs/{run}/over/{name}", {
        params: { path: { run: id, name }, query: { what, since, until } },
        ...raw,
      }) as Promise<Answer>,
    ),
  lay: async (laid: { text: string; x: number[]; y: (number | null)[]; x_unit: string; y_unit: string }) =>
    settle<LaidView>(await client.POST("/api/measured", { body: laid })),
  beginFilm: async (width: number, height: number, per_second: number, kind: string) =>
    settle<{ id: string }>(await client.POST("/api/films", { body: { width, height, per_second, kind } })),
  addPicture: async (film: string, picture: Blob) =>
    settle<{ count: number }>(
      await client.POST("/api/films/{film}/pictures", {
        params: { path: { film } },
        body: picture as never,
        bodySerializer: (b: unknown) => b as Blob,
        headers: { "Content-Type": picture.type || "image/png" },
      } as never),
    ),
  finishFilm: async (film: string) =>
    settle<ArrayBuffer>(
      (await client.POST("/api/films/{film}/finish", { params: { path: { film } }, ...raw })) as Answer,
    ),
  dropFilm: async (film: string) =>
    settle(await client.DELETE("/api/films/{film}", { params: { path: { film } } })),
  framesUrl: (id: string, to: "vtk" | "hdf" | "zarr") => `/api/runs/${id}/export/frames/${to}`,
  wall: async (id: string, q: { frame: number; quantity: string; edge: string }) =>
    settle<{ distance: number[]; x: number[]; y: number[]; value: (number | null)[]; unit: string }>(
      await client.GET("/api/runs/{run}/wall", { params: { path: { run: id }, query: q } }),
    ),
  history: async (id: string, readout: string) =>
    settle<HistoryView>(
      await client.GET("/api/runs/{run}/history/{readout}", { params: { path: { run: id, readout } } }),
    ),
  against: async (id: string, readout: string, over: string) =>
    settle<AgainstView>(
      await client.GET("/api/runs/{run}/against/{readout}", {
        params: { path: { run: id, readout }, query: { over } },
      }),
    ),
  spectrum: async (id: string, readout: string, since: string) =>
    settle<SpectrumView>(
      await client.GET("/api/runs/{run}/spectrum/{readout}", {
        params: { path: { run: id, readout }, query: { since } },
      }),
    ),
  stay: async (
    id: string,
    readout: string,
    query: { kind: string; before: string; after: string; begin: string; given: string },
  ) =>
    settle<StayView>(
      await client.GET("/api/runs/{run}/stay/{readout}", { params: { path: { run: id, readout }, query } }),
    ),
  exportUrl: (
    id: string,
    what: "profile" | "field" | "readouts" | "histories" | "wall",
    query: Record<string, string | number> = {},
  ) =>
    `/api/runs/${id}/export/${what}.csv?${new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)]))}`,
  fileUrl: (id: string) => `/api/cases/${id}/file`,
  events: (onRun: (view: RunView) => void): (() => void) => {
    const source = new EventSource("/api/events");
    source.addEventListener("run", (e) => onRun(JSON.parse((e as MessageEvent<string>).data) as RunView));
    return () => source.close();
  },
};
