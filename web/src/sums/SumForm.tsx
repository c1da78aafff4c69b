import { keepPreviousData, useQuery } from "@tanstack/react-query";
import katex from "katex";
import { useDeferredValue, useState } from "react";
import { api } from "../client";
import type { CaseView, SumEntry, SumView } from "../client/views";
import { show } from "../drawing/number";
import { Choose, named } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { capital } from "../set/TypedInput";
import { type Patch, patchAt, useCase } from "../set/useCase";
import { CurvePicture } from "./CurvePicture";
import { targetsOf } from "./targets";

const MANY = 8; // numbers, below which the curve would be out of sight
const LONG = 12; // entries, after which numbers would be

/** One side sum: entries as typed, what comes out as they change, and where it can go. */
export function SumForm({ sum, view }: { sum: SumView; view: CaseView | undefined }) {
  const [entries, setEntries] = useState<Record<string, string>>(() =>
    Object.fromEntries(sum.entries.map((e) => [e.name, e.default])),
  );
  const asked = useDeferredValue(entries);
  const complete = sum.entries.every((e) => asked[e.name]?.trim());
  const told = useQuery({
    queryKey: ["sum", sum.name, asked, view?.id, view?.variant, view?.data.parameters],
    queryFn: () => api.workOut(sum.name, asked, view?.id ?? "", view?.variant ?? ""),
    enabled: complete,
    retry: false,
    placeholderData: keepPreviousData,
  });
  const answer = complete && !told.error ? told.data : undefined;
  const curve = answer?.curve;
  const long = sum.entries.length > LONG;
  const first = (answer?.gives.length ?? 0) > MANY && !long;
  return (
    <div className="scroll flex min-w-0 flex-1 flex-col gap-2 p-3">
      <div>
        <h3 className="text-[15px] font-semibold">{sum.label}</h3>
        <p className="text-[12.5px] text-ink2">
          {[sum.summary, sum.source && `By ${sum.source}.`, sum.range && `Holds for ${sum.range}.`]
            .filter(Boolean)
            .join(" ")}
        </p>
        {sum.tex && (
          <div
            className="py-1"
            dangerouslySetInnerHTML={{
              __html: katex.renderToString(sum.tex, { throwOnError: false, displayMode: false }),
            }}
          />
        )}
      </div>
      <div className={`grid gap-x-4 gap-y-1.5 ${long ? "grid-cols-3" : "grid-cols-2"}`}>
        {sum.entries.map((e) => (
          <Field
            key={e.name}
            e={e}
            value={entries[e.name] ?? ""}
            onChange={(v) => setEntries((all) => ({ ...all, [e.name]: v }))}
          />
        ))}
      </div>
      {!complete && (
        <p className="text-[12.5px] text-ink3">
          Fill in what is empty; {view ? "parameters of the open case may be named" : "any unit will do"}.
        </p>
      )}
      {told.isFetching && !told.data && (
        <p className="text-[12.5px] text-ink3" role="status">
          Working it out
        </p>
      )}
      {complete && <Faults error={told.error} />}
      {answer && !answer.inside && (
        <p className="text-[12.5px] text-copper">{`Outside its range: it holds for ${sum.range}.`}</p>
      )}
      {curve && first && <CurvePicture curve={curve} />}
      {answer && (
        <table className="t" aria-label="Comes out">
          <tbody>
            {answer.gives.map((g) => (
              <tr key={g.name}>
                <td>{capital(g.label)}</td>
                <td className="num w-[110px]" data-testid={`sum-${g.name}`}>
                  {show(g.value, 5)}
                </td>
                <td className="u w-[130px]">
                  {g.unit}
                  {g.unit === "K" && g.value !== null && ` (${show(g.value - 273.15, 4)} degC)`}
                </td>
                <td className="w-[300px]">
                  {view && g.typed && <Send view={view} typed={g.typed} unit={g.unit} stem={g.name} />}
                </td>
              </tr>
            ))}
            {answer.table && view && (
              <tr>
                <td>Table in time</td>
                <td className="num">{answer.table.length}</td>
                <td className="u">rows</td>
                <td>
                  <Send view={view} table={answer.table} typed="" unit="" stem="" />
                </td>
              </tr>
            )}
          </tbody>
        </table>
      )}
      {answer && view && sum.relation && <Beside view={view} sum={sum} entries={asked} />}
      {curve && !first && <CurvePicture curve={curve} />}
    </div>
  );
}

function Field({ e, value, onChange }: { e: SumEntry; value: string; onChange: (v: string) => void }) {
  const id = `sum-entry-${e.name}`;
  if (e.kind === "table") {
    return (
      <div className="col-span-full flex flex-col gap-0.5">
        <label
          htmlFor={id}
          className="text-[12.5px] text-ink2"
        >{`${capital(e.label)}: a row each, ${e.columns.map(([c]) => c).join(", ")}`}</label>
        <textarea
          id={id}
          className="in h-[76px] resize-y py-1 leading-[1.35]"
          value={value}
          onChange={(v) => onChange(v.target.value)}
        />
      </div>
    );
  }
  return (
    <div className="grid grid-cols-[1fr_minmax(88px,128px)] items-center gap-2">
      <label htmlFor={id} className="text-[12.5px] leading-[1.15] text-ink2">
        {capital(e.label)}
      </label>
      {e.kind === "choice" ? (
        <Choose
          id={id}
          className="in"
          value={value}
          onChoose={(to) => onChange(to)}
          options={named(e.choices)}
        />
      ) : (
        <input
          id={id}
          className="in"
          value={value}
          placeholder={`such as 1 ${e.unit}`.trim()}
          onChange={(v) => onChange(v.target.value)}
        />
      )}
    </div>
  );
}

/** Sends a number, or a table in time, into a field of the open case. */
function Send({
  view,
  typed,
  table,
  unit,
  stem,
}: {
  view: CaseView;
  typed: string;
  table?: string[][];
  unit: string;
  stem: string;
}) {
  const open = useCase(view.id, view.variant);
  const [sent, setSent] = useState("");
  const [error, setError] = useState<unknown>(null);
  const targets = table ? targetsOf(view, null).filter((t) => t.tables) : targetsOf(view, unit);
  const free = () => {
    let name = stem,
      k = 2;
    while (view.data.parameters?.[name] !== undefined) name = `${stem}${k++}`;
    return name;
  };
  const send = async (k: number) => {
    const target = targets[k];
    const value = table ? { table: table.map(([t, v]) => [t, `${v} ${target!.unit}`.trim()]) } : typed;
    const patch: Patch = target ? target.patch(value) : patchAt(["parameters", free()], value);
    try {
      await open.tryEdit(patch, `${target?.says ?? `new parameter ${stem}`} from a side sum`);
      setSent(target?.says ?? `parameter ${stem}`);
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  return (
    <div className="flex items-center gap-2">
      <Choose
        className="in"
        label={`Send ${stem || "the table"} to`}
        value=""
        onChoose={(to) => void send(to === "new" ? -1 : Number(to))}
        placeholder={sent ? `sent to ${sent}` : "send to"}
        options={[
          ...targets.map((t, k) => ({ value: String(k), label: t.says })),
          ...(table ? [] : [{ value: "new", label: "a new parameter" }]),
        ]}
      />
      <Faults error={error} onClose={() => setError(null)} />
    </div>
  );
}

/** Keeps a relation in the paper check of the open case. */
function Beside({ view, sum, entries }: { view: CaseView; sum: SumView; entries: Record<string, string> }) {
  const open = useCase(view.id, view.variant);
  const [kept, setKept] = useState("");
  const [error, setError] = useState<unknown>(null);
  const keep = async (readout: string) => {
    let name = sum.name,
      k = 2;
    while (view.data.papers?.[name]) name = `${sum.name}${k++}`;
    try {
      await open.tryEdit(
        patchAt(["papers", name], {
          relation: sum.name,
          takes: entries,
          ...(readout === "none" ? {} : { readout }),
        }),
        `paper check: ${sum.label}`,
      );
      setKept(readout === "none" ? "kept by itself" : `stands beside ${readout.replace(/_/g, " ")}`);
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  return (
    <div className="flex items-center gap-2 text-[12.5px] text-ink2">
      Keep it in the paper check
      <Choose
        className="in w-[260px]"
        label="Keep it in the paper check"
        value=""
        onChoose={(to) => void keep(to)}
        placeholder={kept || "beside"}
        options={[
          ...view.paper
            .filter((r) => r.unit === sum.gives[0]?.unit || !sum.gives[0]?.unit)
            .map((r) => ({ value: r.readout, label: r.label })),
          { value: "none", label: "by itself" },
        ]}
      />
      <Faults error={error} onClose={() => setError(null)} />
    </div>
  );
}
