import katex from "katex";
import { Fragment, useState } from "react";
import type { CaseView, PaperRow, RunView, TasteView } from "../client/views";
import { show } from "../drawing/number";
import { against, range, verdict } from "../drawing/verdict";
import { useView } from "../state";
import { typedText } from "./TypedInput";
import { useAttempt } from "./useAttempt";
import { type OpenCase, patchAt } from "./useCase";

/** Hand estimates beside what was tasted, solved and measured; a click opens the relation. */
export function PaperTable({
  view,
  open,
  lastRun,
  taste,
}: {
  view: CaseView;
  open: OpenCase;
  lastRun: RunView | undefined;
  taste: TasteView | null;
}) {
  const [shown, setShown] = useState<string | null>(null);
  const { setSums } = useView();
  const stale = !!lastRun && view.journal.count > 0;
  return (
    <>
      <table className="t">
        <thead>
          <tr>
            <th>Readout</th>
            <th className="num">Paper</th>
            <th />
            <th>By</th>
            <th className="num" title="On a coarse grid; not a run">
              Taste
            </th>
            <th className="num">Solved</th>
            <th className="num">Ratio</th>
            <th className="num">Measured</th>
          </tr>
        </thead>
        <tbody>
          {view.paper.map((r) => {
            const solved = lastRun?.result?.readouts?.[r.readout]?.value ?? null;
            const ratio = solved !== null && r.value ? solved / r.value : null;
            const tasted = taste?.readouts[r.readout]?.value ?? null;
            const on = shown === r.readout;
            return (
              <Fragment key={r.readout}>
                <tr className={on ? "bg-copperwash" : ""}>
                  <td>
                    <button
                      type="button"
                      className="cursor-pointer text-left underline decoration-dotted underline-offset-2"
                      aria-expanded={on}
                      onClick={() => setShown(on ? null : r.readout)}
                    >
                      {r.label}
                    </button>
                  </td>
                  <td className="num" data-testid={`paper-${r.readout}`}>
                    {show(r.value, 3)}
                  </td>
                  <td className="u">{r.unit}</td>
                  <td className="text-[12px] leading-[1.15] text-ink2">
                    {r.by || "no relation fits"}
                    {!r.inside && <span className="text-copper">, outside its range</span>}
                  </td>
                  <td className="num italic text-ink3" data-testid={`taste-${r.readout}`}>
                    {tasted === null ? "" : show(tasted, 3)}
                  </td>
                  <td
                    className={`num ${stale ? "italic text-ink3" : ""}`}
                    data-testid={`solved-${r.readout}`}
                  >
                    {show(solved, 4)}
                  </td>
                  <td
                    className={`num ${ratio === null ? "" : verdict(ratio)[1]}`}
                    title={ratio === null ? "" : verdict(ratio)[0]}
                    data-testid={`ratio-${r.readout}`}
                  >
                    {show(ratio, 3)}
                  </td>
                  <td
                    className="num"
                    title={r.measured && solved !== null ? against(solved, r.measured) : ""}
                  >
                    {r.measured ? range(r.measured) : ""}
                  </td>
                </tr>
                {on && (
                  <tr>
                    <td colSpan={8} className="whitespace-normal bg-dip py-1.5">
                      <Details view={view} open={open} r={r} ratio={ratio} />
                    </td>
                  </tr>
                )}
              </Fragment>
            );
          })}
          {view.added.map((r) => (
            <tr key={r.own} title={[r.source, r.range].join("; ")}>
              <td>{r.label}</td>
              <td className="num">{show(r.value, 3)}</td>
              <td className="u">{r.unit}</td>
              <td className="text-[12px] text-ink2" colSpan={4}>
                added by hand{!r.inside && <span className="text-copper">, outside its range</span>}
              </td>
              <td>
                <button
                  type="button"
                  className="btn quiet small"
                  onClick={() => void open.edit(patchAt(["papers", r.own], null), `drop ${r.label}`)}
                >
                  Drop
                </button>
              </td>
            </tr>
          ))}
          {view.regimes.map((r) => (
            <tr key={r.symbol} title={r.source}>
              <td>{r.name}</td>
              <td className="num">{show(r.value, 3)}</td>
              <td className="u">{r.unit}</td>
              <td className="text-[12px] text-ink2" colSpan={5}>
                {[r.verdict, r.note].filter(Boolean).join(", ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="px-2 py-1.5">
        <button type="button" className="btn small" onClick={() => setSums(true)}>
          Another relation, or a side sum <kbd>K</kbd>
        </button>
      </div>
    </>
  );
}

/** The relation itself, where it is from and whether the case lies inside it; what was measured. */
function Details({
  view,
  open,
  r,
  ratio,
}: {
  view: CaseView;
  open: OpenCase;
  r: PaperRow;
  ratio: number | null;
}) {
  const { attempt, fault } = useAttempt(open);
  const typed = view.data.readouts?.[r.readout]?.measured;
  const ends = Array.isArray(typed) ? typed.map(typedText) : [typedText(typed), ""];
  const [low, setLow] = useState(ends[0]!),
    [high, setHigh] = useState(ends[1]!);
  const keep = () =>
    void attempt(
      patchAt(
        ["readouts", r.readout, "measured"],
        !low.trim() ? null : high.trim() ? [low.trim(), high.trim()] : low.trim(),
      ),
      low.trim() ? `measured: ${r.label}` : `nothing measured: ${r.label}`,
    );
  return (
    <div className="flex flex-col gap-1.5 text-[12.5px]">
      {r.tex && (
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1">
          <span dangerouslySetInnerHTML={{ __html: katex.renderToString(r.tex, { throwOnError: false }) }} />
          <span className="text-ink2">{r.source}</span>
        </div>
      )}
      {r.by && (
        <p className={r.inside ? "text-ink2" : "text-copper"}>
          {`Holds for ${r.range || "any case"}; this case lies ${r.inside ? "inside" : "outside"}.`}
          {r.note && ` ${r.note.slice(0, 1).toUpperCase()}${r.note.slice(1)}.`}
          {ratio !== null && ` Solved over paper is ${show(ratio, 3)}: ${verdict(ratio)[0]}.`}
        </p>
      )}
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          keep();
        }}
      >
        <label className="flex items-center gap-1.5 text-ink2">
          Measured
          <input
            className="in w-[110px]"
            value={low}
            placeholder={`such as 1 ${r.unit}`}
            onChange={(e) => setLow(e.target.value)}
          />
        </label>
        <label className="flex items-center gap-1.5 text-ink2">
          to
          <input
            className="in w-[110px]"
            value={high}
            placeholder="for a range"
            onChange={(e) => setHigh(e.target.value)}
          />
        </label>
        <button type="submit" className="btn small">
          Keep
        </button>
        {r.own && (
          <button
            type="button"
            className="btn quiet small ml-auto"
            onClick={() => void attempt(patchAt(["papers", r.own], null), `drop ${r.by}`)}
          >
            Drop this relation
          </button>
        )}
      </form>
      {fault}
    </div>
  );
}
