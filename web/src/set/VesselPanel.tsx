import { useEffect, useState } from "react";
import type { CaseView } from "../client/views";
import { Faults } from "../parts/Faults";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";
import { TypedInput, capital, typedText, typedValue } from "./TypedInput";

const NEW: Record<string, (box: number[]) => Record<string, unknown>> = {
  rectangle: (b) => ({ shape: "rectangle", does: "cut", x: mm(mid(b, 0)), y: mm(mid(b, 1)), width: mm(0.2 * (b[2]! - b[0]!)), height: mm(0.2 * (b[3]! - b[1]!)) }),
  circle: (b) => ({ shape: "circle", does: "cut", x: mm(mid(b, 0)), y: mm(mid(b, 1)), radius: mm(0.15 * Math.min(b[2]! - b[0]!, b[3]! - b[1]!)) }),
  polygon: (b) => ({ shape: "polygon", does: "cut", points: [[0.4, 0.4], [0.6, 0.4], [0.5, 0.6]].map(([s, t]) => [mm(b[0]! + s! * (b[2]! - b[0]!)), mm(b[1]! + t! * (b[3]! - b[1]!))]) }),
};
NEW.plate = (b) => ({ shape: "plate", x: mm(mid(b, 0)), y: mm(mid(b, 1)), length: mm(0.2 * (b[2]! - b[0]!)), along: "x" });
const mid = (b: number[], k: number) => (b[k]! + b[k + 2]!) / 2;
const mm = (v: number) => `${Number((v * 1e3).toPrecision(4))} mm`;

/** Parts and nozzles by numbers. */
export function VesselPanel({ view, open, focus }: { view: CaseView; open: OpenCase; focus: string[] | null }) {
  const parts = Object.entries(view.data.vessel.parts);
  const nozzles = Object.entries(view.data.vessel.nozzles ?? {});
  const repeats = view.data.vessel.repeats ?? [];
  const [part, setPart] = useState(parts[0]?.[0] ?? "");
  const [kind, setKind] = useState("rectangle");
  const [error, setError] = useState<unknown>(null);
  useEffect(() => {
    if (focus) setPart(focus[2] ?? "");
  }, [focus]);
  const attempt = async (patch: Record<string, unknown>, label: string) => {
    try {
      await open.tryEdit(patch, label);
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  const free = (stem: string) => { let k = 1; while (view.data.vessel.parts[`${stem}${k}`]) k++; return `${stem}${k}`; };
  const shown = view.data.vessel.parts[part] ?? view.data.vessel.nozzles?.[part];
  const section = view.data.vessel.parts[part] ? "parts" : "nozzles";
  return (
    <div className="flex min-h-full">
      <nav className="flex w-[150px] flex-none flex-col gap-0.5 border-r border-hair p-1.5" aria-label="Parts and nozzles">
        <span className="cap px-1 pb-0.5">Parts</span>
        {parts.map(([n, p]) => <button key={n} className={`btn small ${n === part ? "on" : "quiet"} justify-between`} onClick={() => setPart(n)}>{n}<span className="text-[11px] opacity-80">{String(p.does ?? "add")}</span></button>)}
        <span className="cap px-1 pb-0.5 pt-1.5">Nozzles</span>
        {nozzles.map(([n]) => <button key={n} className={`btn small ${n === part ? "on" : "quiet"} justify-start`} onClick={() => setPart(n)}>{n}</button>)}
        <span className="cap px-1 pb-0.5 pt-1.5">Goes on and on</span>
        <div className="flex gap-1 px-1">
          {(["x", "y"] as const).map((axis) => (
            <button key={axis} className={`btn small ${repeats.includes(axis) ? "on" : ""}`} aria-pressed={repeats.includes(axis)} title={`What leaves on one side along ${axis} comes in on the other`}
              onClick={() => void attempt({ vessel: { repeats: repeats.includes(axis) ? repeats.filter((a) => a !== axis) : [...repeats, axis] } }, repeats.includes(axis) ? `ends along ${axis}` : `repeats along ${axis}`)}>along {axis}</button>
          ))}
        </div>
        <div className="mt-2 flex gap-1">
          <select className="in" aria-label="Shape of a new part" value={kind} onChange={(e) => setKind(e.target.value)}>{Object.keys(NEW).map((k) => <option key={k}>{k}</option>)}</select>
          <button className="btn small" onClick={() => { const n = free(kind); void attempt(patchAt(["vessel", "parts", n], NEW[kind]!(view.sheet.box)), `new ${kind}`).then(() => setPart(n)); }}>Add</button>
        </div>
      </nav>
      <div className="min-w-0 flex-1 pb-2 pt-1">
        <Faults error={error} onClose={() => setError(null)} />
        {shown && (
          <>
            <div className="flex items-center gap-2 px-2.5 py-1">
              <b className="font-semibold">{capital(part.replace(/_/g, " "))}</b><span className="text-ink3">{String(shown.shape ?? "nozzle")}</span>
              {section === "parts" && shown.shape !== "plate" && (
                <select className="in ml-auto max-w-[150px]" aria-label="What the part does" value={String(shown.does ?? "add")} onChange={(e) => void attempt(patchAt(["vessel", "parts", part, "does"], e.target.value), `${part}: ${e.target.value}`)}>
                  <option value="add">adds open space</option><option value="cut">cuts it away</option><option value="zone">marks a zone</option>
                </select>
              )}
              <button className={`btn quiet small ${section === "nozzles" ? "ml-auto" : ""}`} onClick={() => void attempt(patchAt(["vessel", section, part], null), `drop ${part}`)}>Drop</button>
            </div>
            <Entries open={open} path={["vessel", section, part]} values={shown} focus={focus?.[3]} />
          </>
        )}
      </div>
    </div>
  );
}

function Entries({ open, path, values, focus }: { open: OpenCase; path: string[]; values: Record<string, unknown>; focus: string | undefined }) {
  const points = values.points as unknown[][] | undefined;
  return (
    <div className="grid grid-cols-2 gap-x-2">
      {Object.entries(values).filter(([k, v]) => !["shape", "does", "edges", "points"].includes(k) && typeof v !== "object").map(([k, v]) => (
        <TypedInput key={path.join() + k} label={capital(k)} value={typedText(v)} focus={focus === k} onKeep={(t) => open.tryEdit(patchAt([...path, k], typedValue(t)), `${path[2]} ${k} = ${t}`)} />
      ))}
      {points?.map((p, k) => p.map((c, axis) => (
        <TypedInput key={`${k}-${axis}`} label={`Point ${k + 1} ${"xy"[axis]}`} value={typedText(c)}
          onKeep={(t) => open.tryEdit(patchAt([...path, "points"], points.map((q, m) => (m === k ? q.map((d, n) => (n === axis ? t : d)) : q))), `${path[2]} point ${k + 1}`)} />
      )))}
    </div>
  );
}
