import { useState } from "react";
import type { CaseView } from "../client/views";
import { appliedOf, listOf, ranged } from "../drawing/series";
import { Choose, named } from "../parts/Choose";
import { Kept } from "./Kept";
import { Spark } from "./Spark";
import { capital, TypedInput, typedText, typedValue } from "./TypedInput";
import { useAttempt } from "./useAttempt";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

/** Where a refinement makes cells finer, in words. */
function whereFiner(r: Record<string, unknown>) {
  const gap = r.gap as string[] | undefined;
  return gap ? `Between ${gap[0]} and ${gap[1]}` : r.box ? "In a box" : `At ${String(r.place)}`;
}

const MODES = [
  { value: "steady", label: "to rest" },
  { value: "transient", label: "through time" },
  { value: "series", label: "a series of values" },
];
/** What a stage does with a phenomenon: pressed once more, the next. */
const DOES = ["solves", "holds", "leaves"] as const;

/** Stages in their order, and the grid. */
export function StagesPanel({ view, open }: { view: CaseView; open: OpenCase }) {
  const { attempt, fault } = useAttempt(open);
  const stages = Object.entries(view.data.stages ?? {});
  const refine = Object.entries(view.data.grid.refine ?? {});
  return (
    <div className="pb-2 pt-1">
      {fault}
      {stages.map(([n, s], k) => (
        <Stage key={n} view={view} open={open} name={n} stage={s} number={k + 1} />
      ))}
      <div className="px-2.5 py-1.5">
        <button
          type="button"
          className="btn small"
          onClick={() =>
            void attempt(
              patchAt(["stages", `stage${stages.length + 1}`], { solve: view.active, mode: "steady" }),
              "new stage",
            )
          }
        >
          Add a stage
        </button>
      </div>
      <h3 className="cap px-2.5 pt-1">Grid</h3>
      <div className="grid grid-cols-2">
        <TypedInput
          label="Cell size"
          at="grid/size"
          value={typedText(view.data.grid.size)}
          hint={view.grid ? `${view.grid.nx} x ${view.grid.ny}, ${view.grid.cells} open cells` : ""}
          onKeep={(t) => open.tryEdit(patchAt(["grid", "size"], typedValue(t)), `cell size ${t}`)}
        />
        {refine.map(([n, r]) => (
          <div key={n} className="relative">
            <TypedInput
              label={whereFiner(r)}
              value={typedText(r.cells ?? r.size)}
              hint={`${r.cells ? "cells across, " : ""}growing ${r.growth ?? 1.15} per cell away`}
              onKeep={(t) =>
                open.tryEdit(
                  patchAt(
                    ["grid", "refine", n, r.cells ? "cells" : "size"],
                    r.cells ? Number(t) : typedValue(t),
                  ),
                  `cells: ${whereFiner(r).toLowerCase()} ${t}`,
                )
              }
            />
            <button
              type="button"
              className="btn quiet small absolute bottom-0 left-1"
              title="No finer than elsewhere"
              onClick={() =>
                void attempt(
                  patchAt(["grid", "refine", n], null),
                  `as coarse as elsewhere: ${whereFiner(r).toLowerCase()}`,
                )
              }
            >
              Drop
            </button>
          </div>
        ))}
      </div>
      <Finer
        view={view}
        onAdd={(place, size) => {
          let k = refine.length + 1;
          while (view.data.grid.refine?.[`finer${k}`]) k++;
          void attempt(patchAt(["grid", "refine", `finer${k}`], { place, size }), `finer at ${place}`);
        }}
      />
      <Kept view={view} open={open} />
    </div>
  );
}

/** One leg of the solution: how it goes, what it does with each phenomenon, and its own numbers. */
function Stage({
  view,
  open,
  name: n,
  stage: s,
  number,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  stage: Record<string, unknown>;
  number: number;
}) {
  const { attempt, fault } = useAttempt(open);
  const solve = (s.solve as string[] | undefined) ?? [],
    hold = (s.hold as string[] | undefined) ?? [];
  const mode = String(s.mode ?? "steady");
  const toMode = (to: string) => {
    const [control] = Object.keys(view.data.parameters ?? {});
    const first = String(view.data.parameters?.[control ?? ""] ?? "1");
    const needs: Record<string, Record<string, unknown>> = {
      transient: s.until ? {} : { until: "10 s" },
      series: s.control ? {} : { control: control ?? null, values: [first] },
    };
    void attempt(patchAt(["stages", n], { mode: to, ...needs[to] }), `${n}: ${to}`);
  };
  const typed = (label: string, key: string, placeholder: string, whole = false) => (
    <TypedInput
      label={label}
      at={`stages/${n}/${key}`}
      value={typedText(s[key])}
      placeholder={placeholder}
      onKeep={(t) =>
        open.tryEdit(
          patchAt(["stages", n, key], whole && t.trim() ? Number(t) : typedValue(t)),
          `${n} ${label.toLowerCase()} ${t}`,
        )
      }
    />
  );
  return (
    <section className="border-b border-hair2 pb-1" aria-label={`Stage ${n}`}>
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 px-2.5 py-1">
        <span className="balloon z">{number}</span>
        <b className="font-semibold">{capital(n.replace(/_/g, " "))}</b>
        <Choose
          className="in w-[148px]"
          label={`${n}: mode`}
          value={mode}
          options={MODES}
          onChoose={toMode}
        />
        <button
          type="button"
          className="btn quiet small ml-auto"
          onClick={() => void attempt(patchAt(["stages", n], null), `drop stage ${n}`)}
        >
          Drop
        </button>
      </div>
      <div className="flex flex-wrap gap-1 px-2.5 pb-1" role="group" aria-label={`${n}: what it does`}>
        {view.active.map((p) => {
          const now = solve.includes(p) ? "solves" : hold.includes(p) ? "holds" : "leaves";
          const next = DOES[(DOES.indexOf(now) + 1) % DOES.length]!;
          const without = (list: string[]) => list.filter((o) => o !== p);
          return (
            <button
              type="button"
              key={p}
              className={`chip ${now === "leaves" ? "off" : now === "holds" ? "held" : ""}`}
              aria-label={`${n} ${now} ${p}`}
              title={`Pressed once more, it ${next} ${p}`}
              onClick={() =>
                void attempt(
                  patchAt(["stages", n], {
                    solve: next === "solves" ? [...solve, p] : without(solve),
                    hold: next === "holds" ? [...hold, p] : without(hold),
                  }),
                  `${n} ${next} ${p}`,
                )
              }
            >
              <i />
              {`${now} ${view.phenomena[p]!.label.toLowerCase()}`}
            </button>
          );
        })}
      </div>
      {fault}
      {mode === "series" && <Series view={view} open={open} name={n} stage={s} />}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))]">
        {mode === "transient" && (
          <>
            {typed("Until", "until", "such as 10 s")}
            {typed("Frame every", "frame_every", "only at the end")}
            {typed("Longest step", "longest_step", "as long as is accurate")}
            {typed("Ends once", "ends", "a readout passes, such as voltage < 3 V")}
          </>
        )}
        {mode !== "transient" && (
          <>
            {typed("Aim", "aim", "1e-6, assumed", true)}
            {typed("Settled at", "settle", "1e-5, assumed", true)}
            {typed("Most sweeps", "most", "5000, assumed", true)}
          </>
        )}
      </div>
    </section>
  );
}

/** What a series applies: to which parameter, and which values one after the other. */
function Series({
  view,
  open,
  name: n,
  stage: s,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  stage: Record<string, unknown>;
}) {
  const values = ((s.values as unknown[] | undefined) ?? []).map(String);
  const [[from, to, count], setRange] = useState<readonly string[]>(["", "", "11"]);
  const [back, setBack] = useState(false);
  const { attempt, fault } = useAttempt(open);
  const control = typeof s.control === "string" ? s.control : "";
  const made = ranged(from!, to!, Number(count), back);
  const applied = appliedOf(values);
  const unit = view.parameters.find((p) => p.name === control)?.unit ?? "";
  const field = (label: string, value: string, at: number, width: string, hint: string) => (
    <input
      className={`in ${width}`}
      aria-label={label}
      placeholder={hint}
      value={value}
      onChange={(e) => setRange([from!, to!, count!].map((v, k) => (k === at ? e.target.value : v)))}
    />
  );
  return (
    <div className="pb-1">
      {fault}
      <div className="flex flex-wrap items-center gap-2 px-2.5 py-0.5 text-[12.5px] text-ink2">
        applies to
        <Choose
          className="in w-[150px]"
          label={`${n}: what the series changes`}
          placeholder="a parameter"
          value={control}
          options={named(view.parameters.map((p) => p.name))}
          onChoose={(to) =>
            void attempt(
              patchAt(["stages", n], { control: to, values: [view.data.parameters![to]] }),
              `${n} changes ${to}`,
            )
          }
        />
        <span className="text-ink3">
          {values.length === 1 ? "one value" : `${values.length} values`}, one after the other
        </span>
      </div>
      <div className="grid grid-cols-1">
        <TypedInput
          label="Values"
          at={`stages/${n}/values`}
          value={values.join(", ")}
          hint="with commas between; they may go up and down"
          onKeep={(t) => open.tryEdit(patchAt(["stages", n, "values"], listOf(t)), `${n}: values`)}
        />
      </div>
      <form
        className="flex flex-wrap items-center gap-1.5 px-2.5 pb-1 text-[12.5px] text-ink2"
        aria-label={`${n}: values from a range`}
        onSubmit={(e) => {
          e.preventDefault();
          if (made) void attempt(patchAt(["stages", n, "values"], made), `${n}: ${made.length} values`);
        }}
      >
        or from
        {field("From", from!, 0, "w-[76px]", `0 ${unit}`)}
        to
        {field("To", to!, 1, "w-[76px]", `1 ${unit}`)}
        in
        {field("How many", count!, 2, "w-[44px]", "11")}
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={back} onChange={(e) => setBack(e.target.checked)} />
          and back
        </label>
        <button type="submit" className="btn small" disabled={!made}>
          Make {made ? made.length : "them"}
        </button>
      </form>
      {applied && applied.values.length > 1 && (
        <div className="w-[260px] px-2.5">
          <Spark
            label={`${control.replace(/_/g, " ")} applied`}
            curve={{
              label: control,
              axis: "number",
              axis_unit: "",
              unit: applied.unit,
              at: applied.values.map((_, k) => k + 1),
              values: applied.values,
            }}
          />
        </div>
      )}
    </div>
  );
}

/** Makes cells finer at a place. */
function Finer({ view, onAdd }: { view: CaseView; onAdd: (place: string, size: string) => void }) {
  const places = [
    ...view.places.edges,
    ...view.places.zones.filter((z) => z !== "space"),
    ...Object.keys(view.sheet.parts),
  ];
  const [place, setPlace] = useState(""),
    [size, setSize] = useState("");
  return (
    <form
      className="flex items-center gap-2 px-2.5 py-1.5 text-[12.5px] text-ink2"
      onSubmit={(e) => {
        e.preventDefault();
        onAdd(place || places[0]!, size);
        setSize("");
      }}
    >
      Finer at
      <Choose
        className="in w-[132px]"
        label="Where cells are finer"
        value={place || (places[0] ?? "")}
        onChoose={(to) => setPlace(to)}
        options={named([...new Set(places)])}
      />
      <input
        className="in w-[96px]"
        aria-label="Size of the finer cells"
        placeholder="such as 0.2 mm"
        value={size}
        onChange={(e) => setSize(e.target.value)}
      />
      <button type="submit" className="btn small" disabled={!size}>
        Add
      </button>
    </form>
  );
}
