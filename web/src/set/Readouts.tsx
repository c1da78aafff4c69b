import { useState } from "react";
import type { CaseView } from "../client/views";
import { sentenceOf } from "../drawing/sentence";
import { Choose, named } from "../parts/Choose";
import { DerivedFields } from "./DerivedFields";
import { useAttempt } from "./useAttempt";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";
import { meets } from "./values";

/** What a readout may be told over instead of a place, and what is typed for it. */
const DRAWN: Record<string, { says: string; hint: string; first: string[] }> = {
  box: { says: "in a box", hint: "low x, low y, high x, high y", first: ["0 mm", "0 mm", "10 mm", "10 mm"] },
  line: { says: "along a line", hint: "from x, y, to x, y", first: ["0 mm", "0 mm", "10 mm", "0 mm"] },
  arc: {
    says: "along an arc",
    hint: "middle x, y, radius, from and to angle",
    first: ["0 mm", "0 mm", "10 mm", "0 deg", "90 deg"],
  },
};

/** The numbers asked for. */
export function ReadoutsPanel({ view, open }: { view: CaseView; open: OpenCase }) {
  const { attempt, fault } = useAttempt(open);
  const readouts = Object.entries(view.data.readouts ?? {});
  const options: Record<string, string[]> = {
    field: Object.keys(view.fields),
    to: view.places.edges,
    weight: ["area", "flow"],
    of: Object.entries(view.data.readouts ?? {})
      .filter(([, r]) => r.kind !== "history")
      .map(([n]) => n),
    tells: [
      "mean",
      "deviation",
      "low",
      "high",
      "peak",
      "amplitude",
      "stay",
      "stay deviation",
      "recovered",
      "tanks",
      "reached",
    ],
    listing: Object.keys(view.listings),
    entry: [...new Set(Object.values(view.listings).flatMap((l) => l.numbers))],
    sums: ["how many", "total", "mean", "deviation", "largest", "smallest"],
    quantity: view.quantities,
    "wall quantity": view.wall_quantities,
    "edge field": Object.keys(view.edge_fields),
  };
  const kinds = Object.fromEntries(view.readout_kinds.map((k) => [k.name, k]));
  const placesOf = (kind: string) => (kinds[kind]?.places ?? []).flatMap((of) => view.places[of]);
  const optionsOf = (kind: string, asked: string) => (asked === "place" ? placesOf(kind) : options[asked]);
  const key = (need: string) =>
    need === "edge field" ? "field" : need === "wall quantity" ? "quantity" : need;
  const [find, setFind] = useState("");
  const [opened, setOpened] = useState<string | null>(null);
  const add = () => {
    setFind("");
    let k = readouts.length + 1;
    while (view.data.readouts?.[`readout${k}`]) k++;
    void attempt(
      patchAt(["readouts", `readout${k}`], {
        kind: "max",
        field: options.field![0],
        place: "space",
        label: "New readout",
      }),
      "new readout",
    );
    setOpened(`readout${k}`);
  };
  const sentence = (r: Record<string, unknown>) => {
    const kind = kinds[String(r.kind)];
    const labels: Record<string, Record<string, { label: string }>> = {
      field: view.fields,
      "edge field": view.edge_fields,
    };
    return sentenceOf(kind?.sentence ?? "", drawnOf(r) ? DRAWN[drawnOf(r)]!.says : "", (asked) => {
      if (unasked(r, asked)) return "";
      const value = r[key(asked)];
      if (value === undefined || value === null) return "";
      return labels[asked]?.[String(value)]?.label.toLowerCase() ?? String(value).replace(/_/g, " ");
    });
  };
  const shown = readouts.filter(([n, r]) => meets(find, n, String(r.label ?? ""), sentence(r)));
  return (
    <div className="pb-2">
      {fault}
      <div className="flex items-center gap-2 px-2.5 py-1">
        <input
          className="in max-w-[190px]"
          placeholder="find a readout"
          aria-label="Find a readout"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
        <span className="text-[12px] text-ink3">
          {find ? `${shown.length} of ${readouts.length}` : `${readouts.length} asked for`}
        </span>
        <button type="button" className="btn small ml-auto" onClick={add}>
          Add a readout
        </button>
      </div>
      {shown.map(([n, r]) => (
        <div key={n} data-at={`readouts/${n}`} className="border-t border-hair2">
          <button
            type="button"
            className="flex min-h-[25px] w-full cursor-pointer items-baseline gap-2 px-2.5 py-1 text-left text-[12.5px]"
            aria-expanded={opened === n}
            onClick={() => setOpened(opened === n ? null : n)}
          >
            <svg width="8" height="8" className="flex-none self-center" aria-hidden="true">
              <path
                d={opened === n ? "M0.5 2 4 6 7.5 2" : "M2 0.5 6 4 2 7.5"}
                fill="none"
                stroke="currentColor"
                strokeWidth="1.3"
              />
            </svg>
            <b className="font-medium">{String(r.label ?? n.replace(/_/g, " "))}</b>
            <span className="min-w-0 truncate text-ink2">{sentence(r)}</span>
          </button>
          {opened === n && (
            <div className="flex flex-wrap items-center gap-1.5 bg-dip px-2.5 py-1.5">
              <input
                className="in max-w-[170px] font-sans"
                aria-label={`Label of ${n}`}
                defaultValue={String(r.label ?? n)}
                key={String(r.label)}
                onBlur={(e) =>
                  e.target.value !== r.label &&
                  void attempt(patchAt(["readouts", n, "label"], e.target.value), `label ${e.target.value}`)
                }
              />
              <Choose
                className="in w-[150px]"
                label={`Kind of ${n}`}
                value={String(r.kind)}
                onChoose={(to) => {
                  const kind = to;
                  const fill = Object.fromEntries(
                    kinds[kind]!.asks.map((k) => {
                      const old = r[key(k)],
                        known = optionsOf(kind, k);
                      return [
                        key(k),
                        k in FIRST
                          ? (old ?? FIRST[k])
                          : known
                            ? known.includes(String(old))
                              ? old
                              : known[0]
                            : (old ?? "0 mm"),
                      ];
                    }),
                  );
                  if (kind === "formula")
                    fill.formula = Object.keys(view.data.readouts ?? {}).find((o) => o !== n) ?? "1";
                  const undrawn = Object.fromEntries(Object.keys(DRAWN).map((d) => [d, null]));
                  const only = placesOf(kind).length ? undefined : kinds[kind]!.spans[0];
                  const along = only ? { place: null, [only]: r[only] ?? DRAWN[only]!.first } : {};
                  void attempt(
                    patchAt(["readouts", n], { ...fill, ...undrawn, ...along, kind, unit: null }),
                    `${n}: ${kinds[kind]!.says}`,
                  );
                }}
                options={view.readout_kinds.map((k) => ({ value: k.name, label: k.says }))}
              />
              {!!kinds[String(r.kind)]?.spans.length && (
                <Choose
                  className="in w-[96px]"
                  label={`${n}: where`}
                  value={drawnOf(r) || "place"}
                  onChoose={(to) => {
                    const gone = Object.fromEntries(Object.keys(DRAWN).map((d) => [d, null]));
                    void attempt(
                      patchAt(
                        ["readouts", n],
                        to === "place"
                          ? { ...gone, place: placesOf(String(r.kind))[0] }
                          : { ...gone, place: null, weight: null, [to]: DRAWN[to]!.first },
                      ),
                      `${n}: ${to === "place" ? "at a place" : DRAWN[to]!.says}`,
                    );
                  }}
                  options={[
                    ...(placesOf(String(r.kind)).length ? [{ value: "place", label: "at a place" }] : []),
                    ...Object.entries(DRAWN)
                      .filter(([d]) => kinds[String(r.kind)]?.spans.includes(d))
                      .map(([d, w]) => ({ value: d, label: w.says })),
                  ]}
                />
              )}
              {drawnOf(r) && (
                <input
                  className="in w-[210px]"
                  aria-label={`${n}: ${DRAWN[drawnOf(r)]!.hint}`}
                  title={DRAWN[drawnOf(r)]!.hint}
                  key={String(r[drawnOf(r)])}
                  defaultValue={(r[drawnOf(r)] as unknown[]).join(", ")}
                  onBlur={(e) =>
                    e.target.value !== (r[drawnOf(r)] as unknown[]).join(", ") &&
                    void attempt(
                      patchAt(
                        ["readouts", n, drawnOf(r)],
                        e.target.value.split(",").map((v) => v.trim()),
                      ),
                      `${n}: ${DRAWN[drawnOf(r)]!.says}`,
                    )
                  }
                />
              )}
              {kinds[String(r.kind)]?.asks
                .filter((k) => !(drawnOf(r) && (k === "place" || k === "weight")) && !unasked(r, k))
                .map((k) =>
                  optionsOf(String(r.kind), k) ? (
                    <Choose
                      key={k}
                      className="in w-[104px]"
                      label={`${n}: ${k}`}
                      value={String(r[key(k)] ?? optionsOf(String(r.kind), k)![0])}
                      onChoose={(to) =>
                        void attempt(patchAt(["readouts", n, key(k)], to), `${n}: ${k} ${to}`)
                      }
                      options={named(withTyped(optionsOf(String(r.kind), k)!, r[key(k)]))}
                    />
                  ) : (
                    <input
                      key={k}
                      className={`in ${k in WIDE ? "w-[230px]" : "w-[90px]"}`}
                      aria-label={`${n}: ${k}`}
                      placeholder={WIDE[k]}
                      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                      defaultValue={String(r[k] ?? "")}
                      onBlur={(e) =>
                        e.target.value !== String(r[k] ?? "") &&
                        void attempt(patchAt(["readouts", n, k], e.target.value), `${n}: ${k}`)
                      }
                    />
                  ),
                )}
              <button
                type="button"
                className="btn quiet small ml-auto"
                onClick={() => void attempt(patchAt(["readouts", n], null), `drop ${n}`)}
              >
                Drop
              </button>
            </div>
          )}
        </div>
      ))}
      {!shown.length && readouts.length > 0 && (
        <p className="px-2.5 text-ink3">No readout goes by that name.</p>
      )}
      <DerivedFields view={view} open={open} />
    </div>
  );
}

/** What entries begin with that are no choice, and no length; what stands in wide ones while empty. */
const FIRST: Record<string, string | null> = { since: "0 s", only: null, reference: null };
const WIDE: Record<string, string> = {
  formula: "of readouts, parameters, t",
  only: "only: air, walls at most, \u2026",
};

/** Whether an entry that a kind asks for does not matter as the readout stands. */
const unasked = (r: Record<string, unknown>, asked: string) =>
  (r.kind === "listed" && asked === "entry" && (r.sums ?? "how many") === "how many") ||
  (r.kind === "history" && asked === "reference" && r.tells !== "reached");

/** What may be chosen, and what is typed where it is called otherwise: by its long name. */
const withTyped = (known: string[], typed: unknown) =>
  typeof typed !== "string" || known.includes(typed) ? known : [typed, ...known];

const drawnOf = (r: Record<string, unknown>) => Object.keys(DRAWN).find((d) => Array.isArray(r[d])) ?? "";
