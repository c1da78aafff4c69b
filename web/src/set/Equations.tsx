import katex from "katex";
import type { CaseView, EquationView, RowView } from "../client/views";
import type { OpenCase } from "./useCase";

const typeset = (tex: string, displayMode = false) => ({
  __html: katex.renderToString(tex, { displayMode, throwOnError: false }),
});
const ON: Record<RowView["on"], string> = {
  edge: "on",
  repeat: "",
  screen: "across",
  between: "from",
  zone: "in",
  start: "at the start in",
};

/** The equations that are active, what their letters are here, and what every place asks of them. */
export function Equations({
  view,
  open,
  onPlace,
}: {
  view: CaseView;
  open: OpenCase;
  onPlace: (place: string, on: RowView["on"], column: string) => void;
}) {
  const keep = (id: string, on: boolean) => {
    const record = view.data.record ?? [];
    void open.edit(
      { record: on ? [...record, id] : record.filter((r) => r !== id) },
      on ? `keep ${id} as a field` : `no longer keep ${id}`,
    );
  };
  return (
    <div className="flex flex-col divide-y divide-hair">
      {view.equations.map((e) => (
        <Equation key={e.column} e={e} onPlace={onPlace} onKeep={keep} />
      ))}
    </div>
  );
}

function Equation({
  e,
  onPlace,
  onKeep,
}: {
  e: EquationView;
  onKeep: (id: string, on: boolean) => void;
  onPlace: (place: string, on: RowView["on"], column: string) => void;
}) {
  return (
    <section className="px-3 py-2" aria-label={`Equation of ${e.label}`}>
      <h3 className="flex items-baseline gap-2">
        <span className="cap text-soot">{e.label}</span>
        <span className="text-[11.5px] text-ink3">{e.source}</span>
      </h3>
      <div
        className="overflow-x-auto overflow-y-hidden py-1 text-[13px]"
        dangerouslySetInnerHTML={typeset(e.tex, true)}
      />
      {e.letters.length > 0 && (
        <p role="note" className="flex flex-wrap gap-x-4 gap-y-0.5 pb-1 text-[12.5px]" aria-label="With">
          {e.letters.map((l) => (
            <span key={l.label} title={l.label} dangerouslySetInnerHTML={typeset(`${l.symbol} = ${l.tex}`)} />
          ))}
        </p>
      )}
      <table className="t">
        <tbody>
          {e.terms.map((t) => (
            <tr key={t.name}>
              <td className="w-[46%]">
                <span dangerouslySetInnerHTML={typeset(t.tex)} />
              </td>
              <td className="text-[12px] text-ink2">
                <span className="flex items-center justify-between gap-2">
                  {t.says}
                  {t.dimension && (
                    <button
                      type="button"
                      className={`btn small ${t.kept ? "on" : "quiet"}`}
                      aria-pressed={t.kept}
                      title="Keep it in every frame of the next run, to be seen in Read"
                      onClick={() => onKeep(t.id, !t.kept)}
                    >
                      {t.kept ? "kept as a field" : "to Read"}
                    </button>
                  )}
                </span>
              </td>
            </tr>
          ))}
          {e.places.map((p) => (
            <tr key={p.on + p.tex + p.text}>
              <td>
                {p.tex ? (
                  <span dangerouslySetInnerHTML={typeset(p.tex)} />
                ) : (
                  <em className="text-ink3">{p.text}</em>
                )}
              </td>
              <td className="whitespace-normal py-0.5 text-[12px] text-ink2">
                {ON[p.on]}{" "}
                {p.places.map((q, k) => (
                  <span key={q.id}>
                    {k > 0 && ", "}
                    <button
                      type="button"
                      className="cursor-pointer underline decoration-dotted underline-offset-2"
                      onClick={() => onPlace(q.id, p.on, e.column)}
                    >
                      {q.label}
                    </button>
                  </span>
                ))}
                {p.assumed && <span className="assumed"> assumed</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
