import { useState } from "react";
import type { CaseView } from "../client/views";
import { isThin } from "../drawing/shapes";
import { Choose } from "../parts/Choose";
import { capital, TypedInput, typedText, typedValue } from "./TypedInput";
import { useAttempt } from "./useAttempt";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";
import { meets } from "./values";

const SOLID = [
  { value: "add", label: "adds open space" },
  { value: "cut", label: "cuts it away" },
  { value: "zone", label: "marks a zone" },
];
const THIN = [
  { value: "cut", label: "is a wall" },
  { value: "screen", label: "is a screen" },
];

const FIRST: Record<string, string> = { plate: "cut", line: "screen", bow: "screen" };

const MANY = 8; // parts from which on they are looked for

/** Parts and nozzles by numbers; they are drawn on the sheet. */
export function VesselPanel({
  view,
  open,
  part: chosen,
  onPart,
}: {
  view: CaseView;
  open: OpenCase;
  part: string | null;
  onPart: (part: string) => void;
}) {
  const parts = Object.entries(view.data.vessel.parts);
  const nozzles = Object.entries(view.data.vessel.nozzles ?? {});
  const repeats = view.data.vessel.repeats ?? [];
  const part =
    chosen && (view.data.vessel.parts[chosen] || view.data.vessel.nozzles?.[chosen])
      ? chosen
      : (parts[0]?.[0] ?? "");
  const { attempt, fault } = useAttempt(open);
  const [find, setFind] = useState("");
  const foundParts = parts.filter(([n, p]) => meets(find, n, p.does ?? "add", p.shape)),
    foundNozzles = nozzles.filter(([n]) => meets(find, n, "nozzle"));
  const many = parts.length + nozzles.length >= MANY;
  /** Up and down the list, as it is seen. */
  const step = (e: React.KeyboardEvent<HTMLElement>) => {
    const by = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    if (!by) return;
    const all = [...e.currentTarget.querySelectorAll<HTMLElement>("[data-part]")];
    const next = all[all.indexOf(document.activeElement as HTMLElement) + by];
    if (!next) return;
    e.preventDefault();
    next.focus();
    onPart(next.dataset.part!);
  };
  const shown = view.data.vessel.parts[part] ?? view.data.vessel.nozzles?.[part];
  const section = view.data.vessel.parts[part] ? "parts" : "nozzles";
  return (
    <div className="flex min-h-full">
      <nav
        className="flex w-[164px] flex-none flex-col gap-0.5 border-r border-hair px-1.5 pb-1.5"
        aria-label="Parts and nozzles"
        onKeyDown={step}
      >
        <div className="sticky top-0 z-[1] bg-enamel pt-1.5">
          {many && (
            <input
              type="search"
              className="in mb-1 w-full"
              aria-label="Find a part"
              placeholder="find a part"
              value={find}
              onChange={(e) => setFind(e.target.value)}
            />
          )}
          <span className="cap block px-1 pb-0.5">
            Parts {many && <span className="text-ink3">{parts.length}</span>}
          </span>
        </div>
        {foundParts.map(([n, p]) => (
          <button
            type="button"
            key={n}
            data-part={n}
            className={`btn small ${n === part ? "on" : "quiet"} justify-between`}
            onClick={() => onPart(n)}
          >
            <span className="truncate">{n.replace(/_/g, " ")}</span>
            <span className="text-[11px] opacity-80">{String(p.does ?? "add")}</span>
          </button>
        ))}
        <span className="cap px-1 pb-0.5 pt-1.5">Nozzles</span>
        {foundNozzles.map(([n]) => (
          <button
            type="button"
            key={n}
            data-part={n}
            className={`btn small ${n === part ? "on" : "quiet"} justify-start`}
            onClick={() => onPart(n)}
          >
            <span className="truncate">{n.replace(/_/g, " ")}</span>
          </button>
        ))}
        <span className="cap px-1 pb-0.5 pt-1.5">Goes on and on</span>
        <div className="flex gap-1 px-1">
          {(["x", "y"] as const).map((axis) => (
            <button
              type="button"
              key={axis}
              className={`btn small ${repeats.includes(axis) ? "on" : ""}`}
              aria-pressed={repeats.includes(axis)}
              title={`What leaves on one side along ${axis} comes in on the other`}
              onClick={() =>
                void attempt(
                  {
                    vessel: {
                      repeats: repeats.includes(axis)
                        ? repeats.filter((a) => a !== axis)
                        : [...repeats, axis],
                    },
                  },
                  repeats.includes(axis) ? `ends along ${axis}` : `repeats along ${axis}`,
                )
              }
            >
              along {axis}
            </button>
          ))}
        </div>
      </nav>
      <div className="sticky top-0 min-w-0 flex-1 self-start pb-2 pt-1">
        {fault}
        {shown && (
          <>
            <div className="flex items-center gap-2 px-2.5 py-1">
              <b className="font-semibold">{capital(part.replace(/_/g, " "))}</b>
              <span className="text-ink3">{String(shown.shape ?? "nozzle")}</span>
              {section === "parts" && (
                <Choose
                  className="in ml-auto max-w-[150px]"
                  label="What the part does"
                  value={String(shown.does ?? FIRST[String(shown.shape)] ?? "add")}
                  onChoose={(to) =>
                    void attempt(patchAt(["vessel", "parts", part, "does"], to), `${part}: ${to}`)
                  }
                  options={
                    isThin(String(shown.shape))
                      ? THIN.filter((o) => shown.shape === "plate" || o.value === "screen")
                      : SOLID
                  }
                />
              )}
              <button
                type="button"
                className={`btn quiet small ${section === "nozzles" ? "ml-auto" : ""}`}
                onClick={() => void attempt(patchAt(["vessel", section, part], null), `drop ${part}`)}
              >
                Drop
              </button>
            </div>
            <Entries open={open} path={["vessel", section, part]} values={shown} />
          </>
        )}
      </div>
    </div>
  );
}

function Entries({
  open,
  path,
  values,
}: {
  open: OpenCase;
  path: string[];
  values: Record<string, unknown>;
}) {
  const points = values.points as unknown[][] | undefined;
  const { attempt, fault } = useAttempt(open);
  const keep = (next: unknown[][], label: string) =>
    attempt(patchAt([...path, "points"], next), `${path[2]} ${label}`);
  return (
    <>
      <div className="grid grid-cols-2 gap-x-2">
        {Object.entries(values)
          .filter(([k, v]) => !["shape", "does", "edges", "points"].includes(k) && typeof v !== "object")
          .map(([k, v]) => (
            <TypedInput
              key={path.join() + k}
              label={capital(k)}
              value={typedText(v)}
              onKeep={(t) => open.tryEdit(patchAt([...path, k], typedValue(t)), `${path[2]} ${k} = ${t}`)}
            />
          ))}
      </div>
      {points && (
        <table className="t mt-1">
          <thead>
            <tr>
              <th>Point</th>
              <th>x</th>
              <th>y</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {points.map((p, k) => (
              <tr key={k}>
                <td className="num">{k + 1}</td>
                {p.map((c, axis) => (
                  <td key={axis}>
                    <input
                      className="in"
                      aria-label={`Point ${k + 1} ${"xy"[axis]}`}
                      key={String(c)}
                      defaultValue={typedText(c)}
                      onBlur={(e) =>
                        e.target.value !== typedText(c) &&
                        void keep(
                          points.map((q, m) =>
                            m === k ? q.map((d, n) => (n === axis ? typedValue(e.target.value) : d)) : q,
                          ),
                          `point ${k + 1}`,
                        )
                      }
                      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                    />
                  </td>
                ))}
                <td className="whitespace-nowrap text-right">
                  <button
                    type="button"
                    className="btn quiet small"
                    title="A point halfway to the next"
                    onClick={() =>
                      void keep(
                        [
                          ...points.slice(0, k + 1),
                          p.map(
                            (c, a) =>
                              `((${typedText(c)}) + (${typedText(points[(k + 1) % points.length]![a])}))/2`,
                          ),
                          ...points.slice(k + 1),
                        ],
                        `point after ${k + 1}`,
                      )
                    }
                  >
                    Add after
                  </button>
                  <button
                    type="button"
                    className="btn quiet small"
                    onClick={() =>
                      void keep(
                        points.filter((_, m) => m !== k),
                        `drop point ${k + 1}`,
                      )
                    }
                  >
                    Drop
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {fault}
    </>
  );
}
