import { useState } from "react";
import type { CaseView } from "../client/views";
import { Choose, named } from "../parts/Choose";
import { Kept } from "./Kept";
import { capital, TypedInput, typedText, typedValue } from "./TypedInput";
import { useAttempt } from "./useAttempt";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

/** Where a refinement makes cells finer, in words. */
function whereFiner(r: Record<string, unknown>) {
  const gap = r.gap as string[] | undefined;
  return gap ? `Between ${gap[0]} and ${gap[1]}` : r.box ? "In a box" : `At ${String(r.place)}`;
}

/** Stages in their order, and the grid. */
export function StagesPanel({ view, open }: { view: CaseView; open: OpenCase }) {
  const { attempt, fault } = useAttempt(open);
  const stages = Object.entries(view.data.stages ?? {});
  const refine = Object.entries(view.data.grid.refine ?? {});
  const toggle = (list: string[], name: string) =>
    list.includes(name) ? list.filter((n) => n !== name) : [...list, name];
  return (
    <div className="pb-2 pt-1">
      {fault}
      {stages.map(([n, s], k) => {
        const solve = (s.solve as string[] | undefined) ?? [],
          hold = (s.hold as string[] | undefined) ?? [];
        const mode = String(s.mode ?? "steady");
        return (
          <section key={n} className="border-b border-hair2 pb-1">
            <div className="flex flex-wrap items-center gap-2 px-2.5 py-1">
              <span className="balloon z">{k + 1}</span>
              <b className="font-semibold">{capital(n)}</b>
              <Choose
                className="in w-[104px]"
                label={`${n}: mode`}
                value={mode}
                onChoose={(to) =>
                  void attempt(
                    patchAt(["stages", n], {
                      mode: to,
                      ...(to === "transient" && !s.until ? { until: "10 s" } : {}),
                    }),
                    `${n}: ${to}`,
                  )
                }
                options={named(["steady", "transient", ...(mode === "series" ? ["series"] : [])])}
              />
              {view.active.map((p) => (
                <span key={p} className="flex gap-1">
                  <button
                    type="button"
                    className={`chip ${solve.includes(p) ? "" : "off"}`}
                    aria-pressed={solve.includes(p)}
                    onClick={() =>
                      void attempt(
                        patchAt(["stages", n], {
                          solve: toggle(solve, p),
                          hold: hold.filter((h) => h !== p),
                        }),
                        `${n} solves ${p}`,
                      )
                    }
                  >
                    <i />
                    {solve.includes(p) ? `solves ${p}` : hold.includes(p) ? `holds ${p}` : `not ${p}`}
                  </button>
                </span>
              ))}
              <button
                type="button"
                className="btn quiet small ml-auto"
                onClick={() => void attempt(patchAt(["stages", n], null), `drop stage ${n}`)}
              >
                Drop
              </button>
            </div>
            {mode === "transient" && (
              <div className="grid grid-cols-2">
                <TypedInput
                  label="Until"
                  value={typedText(s.until)}
                  onKeep={(t) =>
                    open.tryEdit(patchAt(["stages", n, "until"], typedValue(t)), `${n} until ${t}`)
                  }
                />
                <TypedInput
                  label="Frame every"
                  value={typedText(s.frame_every)}
                  placeholder="only at the end"
                  onKeep={(t) =>
                    open.tryEdit(
                      patchAt(["stages", n, "frame_every"], typedValue(t)),
                      `${n} frame every ${t}`,
                    )
                  }
                />
              </div>
            )}
          </section>
        );
      })}
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
