import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api } from "../client";
import type { CaseView, MatterEntry } from "../client/views";
import { Faults } from "../parts/Faults";
import { type Own, OwnMatter } from "./OwnMatter";
import { Spark } from "./Spark";
import { capital } from "./TypedInput";
import type { OpenCase, Patch } from "./useCase";

/** Properties of a liquid or gas at a state, sent into every setting that asks for one. */
export function FromLibrary({ view, open }: { view: CaseView; open: OpenCase }) {
  const [shown, setShown] = useState(false);
  return (
    <>
      <button type="button" className="btn small" onClick={() => setShown(true)}>
        From the library
      </button>
      <Dialog.Root open={shown} onOpenChange={setShown}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed left-1/2 top-16 z-30 flex max-h-[84vh] w-[860px] -translate-x-1/2 flex-col rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-4"
          >
            <Dialog.Title className="cap mb-2 text-[13px] text-soot">Liquids and gases</Dialog.Title>
            {shown && <Choosing view={view} open={open} onDone={() => setShown(false)} />}
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </>
  );
}

/** What the case's settings say now, to begin an own material from. */
function fromCase(view: CaseView): Own {
  const properties: Record<string, string> = {};
  for (const n of view.active)
    for (const s of view.phenomena[n]!.settings) {
      const typed = view.data.phenomena[n]?.[s.name];
      if (typed !== undefined && s.default === null && !s.optional && typeof typed !== "object")
        properties[s.dimension] ??= String(typed);
    }
  return { label: "", source: "", properties, id: null };
}

function Choosing({ view, open, onDone }: { view: CaseView; open: OpenCase; onDone: () => void }) {
  const [text, setText] = useState("");
  const [entry, setEntry] = useState<MatterEntry | null>(null);
  const [state, setState] = useState({
    temperature: "20 degC",
    pressure: "1 atm",
    share: "0.3",
    spread: "20 K",
  });
  const [following, setFollowing] = useState<string[]>([]);
  const [error, setError] = useState<unknown>(null);
  const [own, setOwn] = useState<Own | null>(null);
  const found = useQuery({
    queryKey: ["matters", text],
    queryFn: () => api.matters(text),
    placeholderData: (old) => old,
  });
  const told = useQuery({
    queryKey: ["matter", entry?.id, state],
    queryFn: () => api.matter(entry!.id, state),
    enabled: !!entry,
    retry: false,
    placeholderData: (old) => old,
  });
  const warm = "temperature" in view.fields;
  // settings that ask for one of these, wherever they are
  const asking = view.active
    .flatMap((n) => view.phenomena[n]!.settings.map((s) => ({ phenomenon: n, s })))
    .filter(({ s }) => told.data?.values[s.dimension] && s.default === null && !s.optional);
  const use = async () => {
    const patch: { phenomena: Record<string, Patch>; sources: Record<string, string> } = {
      phenomena: {},
      sources: {},
    };
    for (const { phenomenon, s } of asking) {
      const value = told.data!.values[s.dimension]!;
      const law = following.includes(s.dimension) && s.law && value.law;
      patch.phenomena[phenomenon] ??= {};
      patch.phenomena[phenomenon][s.name] = law ? value.law : value.typed;
      patch.sources[`phenomena / ${phenomenon} / ${s.name}`] =
        told.data!.source + (law ? `, a law to ${(100 * value.law_error).toPrecision(2)} %` : "");
    }
    try {
      await open.tryEdit(patch, `${entry!.label} at ${state.temperature}`);
      onDone();
    } catch (e) {
      setError(e);
    }
  };
  const field = (label: string, key: keyof typeof state) => (
    <label className="flex items-center gap-2 text-[12.5px] text-ink2">
      {label}
      <input
        className="in w-[92px]"
        value={state[key]}
        onChange={(e) => setState({ ...state, [key]: e.target.value })}
      />
    </label>
  );
  return (
    <div className="flex min-h-0 gap-3">
      <div className="flex w-[210px] flex-none flex-col gap-1.5">
        <input
          className="in"
          aria-label="Search the library"
          placeholder="water, glycol, co2, ..."
          autoFocus
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <div className="scroll min-h-[120px] flex-1" role="listbox" aria-label="Found">
          {found.data?.map((m) => (
            <button
              type="button"
              key={m.id}
              role="option"
              aria-selected={m.id === entry?.id}
              className={`btn small w-full justify-start ${m.id === entry?.id ? "on" : "quiet"}`}
              onClick={() => {
                setEntry(m);
                setOwn(null);
              }}
            >
              {m.label}
              {m.own && <span className="ml-auto text-[11px] opacity-80">own</span>}
            </button>
          ))}
          {found.data?.length === 0 && <p className="p-1.5 text-[12.5px] text-ink3">Nothing of that name.</p>}
        </div>
        <button type="button" className="btn small" onClick={() => setOwn(fromCase(view))}>
          One of your own
        </button>
      </div>
      <div className="flex min-h-0 min-w-0 flex-1 flex-col gap-2">
        {own && (
          <OwnMatter
            own={own}
            onClose={() => setOwn(null)}
            onKept={(m) => {
              setOwn(null);
              setEntry(m);
            }}
          />
        )}
        {!own && (
          <>
            <div className="flex flex-wrap gap-x-4 gap-y-1.5">
              {field("At", "temperature")}
              {field("and", "pressure")}
              {entry?.share && field(capital(entry.share), "share")}
              {field("curve \u00b1", "spread")}
            </div>
            <Faults error={error ?? told.error} onClose={() => setError(null)} />
            {!entry && <p className="text-[12.5px] text-ink3">Choose one on the left.</p>}
            {entry && told.data && !told.error && (
              <>
                <p className="text-[12px] text-ink3">
                  {[told.data.source, told.data.phase].filter(Boolean).join("; ")}
                </p>
                <div className="scroll flex-1">
                  <table className="t">
                    <thead>
                      <tr>
                        <th>Property</th>
                        <th className="num">Value</th>
                        <th>Over temperature</th>
                        <th>Goes into</th>
                      </tr>
                    </thead>
                    <tbody>
                      {Object.entries(told.data.values).map(([name, v]) => {
                        const into = asking.filter((a) => a.s.dimension === name);
                        const can = warm && v.law && into.some((a) => a.s.law);
                        return (
                          <tr key={name}>
                            <td>{capital(name)}</td>
                            <td className="num">{v.typed}</td>
                            <td className="py-1">
                              <div className="w-[212px]">
                                <Spark curve={v.curve} label={name} />
                              </div>
                            </td>
                            <td className="whitespace-normal text-[12px] text-ink2">
                              {into.map((a) => view.phenomena[a.phenomenon]!.label).join(", ") ||
                                "nothing here asks for it"}
                              {can && (
                                <label className="mt-0.5 flex items-center gap-1">
                                  <input
                                    type="checkbox"
                                    checked={following.includes(name)}
                                    onChange={(e) =>
                                      setFollowing(
                                        e.target.checked
                                          ? [...following, name]
                                          : following.filter((f) => f !== name),
                                      )
                                    }
                                  />
                                  {`follow temperature, to ${(100 * v.law_error).toPrecision(2)} %`}
                                </label>
                              )}
                            </td>
                          </tr>
                        );
                      })}
                    </tbody>
                  </table>
                </div>
                <div className="flex justify-end gap-2">
                  {entry.own && (
                    <button
                      type="button"
                      className="btn quiet"
                      onClick={() =>
                        setOwn({
                          label: entry.label,
                          source: told.data!.source.replace(`${entry.label}: `, ""),
                          properties: told.data!.typed,
                          id: entry.id,
                        })
                      }
                    >
                      Change it
                    </button>
                  )}
                  <button
                    type="button"
                    className="btn primary"
                    disabled={!asking.length}
                    onClick={() => void use()}
                  >{`Use ${entry.label}`}</button>
                </div>
              </>
            )}
          </>
        )}
      </div>
    </div>
  );
}
