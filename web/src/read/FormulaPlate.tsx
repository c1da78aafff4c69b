import { useState } from "react";
import { idOf } from "../drawing/naming";
import { told } from "../set/TypedInput";
import { patchAt } from "../set/useCase";
import { useCaseEdit } from "./KeepReadout";
import { useReading } from "./reading";
import { useSeen } from "./useField";

const EMPTY = { name: "", formula: "", unit: "" };

/** Fields and readouts by formula: written into the case, read from the frames that are here. */
export function FormulaPlate() {
  const { frames, view } = useSeen();
  const changeTile = useReading((s) => s.changeTile);
  const edit = useCaseEdit();
  const [typed, setTyped] = useState({ kind: "field", ...EMPTY });
  const [fault, setFault] = useState("");
  const derived = Object.entries(frames.fields).filter(([, f]) => f.derived);
  const asked = Object.entries(frames.readouts).filter(([, r]) => r.late);
  const attempt = async (patch: Record<string, unknown>, label: string, fields: string[] = []) => {
    try {
      await edit(patch, label, fields);
      setFault("");
      return true;
    } catch (e) {
      setFault(told(e));
      return false;
    }
  };
  const keep = async () => {
    const field = typed.kind === "field",
      id = idOf(typed.name);
    const entry = { formula: typed.formula, unit: typed.unit, label: typed.name.trim() };
    const done = await attempt(
      patchAt([field ? "derived" : "readouts", id], field ? entry : { ...entry, kind: "formula" }),
      `formula ${typed.name.trim()}`,
      [id],
    );
    if (!done) return;
    setTyped({ ...typed, ...EMPTY });
    if (field) changeTile({ name: id, kept: {}, over: "frame" });
  };
  const names = Object.keys(typed.kind === "field" ? frames.fields : frames.readouts);
  const entry = (key: "name" | "formula" | "unit", label: string, hint: string) => (
    <label className="grid grid-cols-[64px_1fr] items-center gap-2">
      {label}
      <input
        className="in"
        value={typed[key]}
        placeholder={hint}
        spellCheck={false}
        autoComplete="off"
        onChange={(e) => setTyped({ ...typed, [key]: e.target.value })}
      />
    </label>
  );
  return (
    <div className="scroll flex-1 text-[12.5px] text-ink2">
      <form
        className="grid gap-1.5 px-2.5 py-2"
        onSubmit={(e) => {
          e.preventDefault();
          void keep();
        }}
      >
        <div className="flex gap-1.5">
          {(["field", "readout"] as const).map((k) => (
            <button
              key={k}
              type="button"
              className={`btn small ${typed.kind === k ? "on" : "quiet"}`}
              aria-pressed={typed.kind === k}
              onClick={() => setTyped({ ...typed, kind: k })}
            >
              {k === "field" ? "A field" : "A readout"}
            </button>
          ))}
        </div>
        {entry("name", "Name", "such as Share of the feed")}
        {entry("formula", "Formula", typed.kind === "field" ? "such as 100*salt/strength" : "such as out/in")}
        {entry("unit", "Shown in", "such as %, ppm; by itself when empty")}
        <p className="text-[11.5px] text-ink3">{`It may name ${names.slice(0, 12).join(", ")}${names.length > 12 ? " and more" : ""}, parameters${typed.kind === "field" ? ", readouts, x, y" : ""} and t.`}</p>
        <div className="flex items-center gap-2">
          <button
            type="submit"
            className="btn small primary"
            disabled={!typed.name.trim() || !typed.formula.trim()}
          >
            Add it
          </button>
          {fault && (
            <span role="alert" className="text-copper">
              {fault}
            </span>
          )}
        </div>
      </form>
      {(derived.length > 0 || asked.length > 0) && (
        <table className="t">
          <thead>
            <tr>
              <th>Added</th>
              <th>Formula</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {derived.map(([n, f]) => (
              <tr key={n}>
                <td>{f.label}</td>
                <td className="num !text-left">
                  {view.data.derived?.[n]?.formula ?? "since this run"}
                  {f.unit && ` [${f.unit}]`}
                </td>
                <td>
                  <button
                    type="button"
                    className="btn quiet small"
                    onClick={() => void attempt(patchAt(["derived", n], null), `drop ${f.label}`, [n])}
                  >
                    Drop
                  </button>
                </td>
              </tr>
            ))}
            {asked.map(([n, r]) => (
              <tr key={n}>
                <td>{r.label}</td>
                <td className="text-ink3">readout, since this run</td>
                <td>
                  <button
                    type="button"
                    className="btn quiet small"
                    onClick={() => void attempt(patchAt(["readouts", n], null), `drop ${r.label}`)}
                  >
                    Drop
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
