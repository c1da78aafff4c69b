import { useId, useState } from "react";
import type { CaseView, ParamView, PhenomenonView } from "../client/views";
import { Choose, named } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { useView } from "../state";
import { toggled } from "./Board";
import { FromLibrary } from "./FromLibrary";
import { KnownSets } from "./KnownSets";
import { MadeOf } from "./MadeOf";
import { capital, TypedInput, typedText, typedValue } from "./TypedInput";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";
import { listed, meets, pairsOf } from "./values";

const LARGEST = 200_000; // bytes of a file that a case holds

/** Parameters, and the values every phenomenon asks for: all of them, or those of one. */
export function ValuesPanel({ view, open }: { view: CaseView; open: OpenCase }) {
  const { section: asked, showValues } = useView();
  const [find, setFind] = useState("");
  const section = asked === PARAMETERS || view.active.includes(asked) ? asked : "";
  const count = (n: string) =>
    view.phenomena[n]!.member_kinds.reduce(
      (sum, k) => sum + Object.keys(listed(view.data.phenomena[n] ?? {}, k.key)).length,
      0,
    );
  const entries: [string, string, number][] = [
    ["", "All", 0],
    [PARAMETERS, "Parameters", view.parameters.length],
    ...view.active.map((n): [string, string, number] => [n, view.phenomena[n]!.label, count(n)]),
  ];
  return (
    <div className="flex min-h-full">
      <nav
        className="sticky top-0 flex w-[118px] flex-none flex-col gap-0.5 self-start p-1.5"
        aria-label="Values of"
      >
        <input
          className="in mb-1"
          placeholder="find a value"
          aria-label="Find a value"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          onKeyDown={(e) => e.key === "Escape" && setFind("")}
        />
        {entries.map(([n, words, of]) => (
          <button
            type="button"
            key={n}
            className={`btn small ${n === section ? "on" : "quiet"} justify-between`}
            aria-pressed={n === section}
            onClick={() => showValues(n)}
          >
            <span className="truncate">{words}</span>
            {of > 0 && <span className="num opacity-80">{of}</span>}
          </button>
        ))}
      </nav>
      <div className="min-w-0 flex-1 border-l border-hair pb-2 pt-1">
        {(!section || section === PARAMETERS) && <Parameters view={view} open={open} find={find} />}
        {view.active
          .filter((n) => !section || n === section)
          .map((n) => (
            <PhenomenonValues key={n} view={view} open={open} name={n} find={find} whole={n === section} />
          ))}
      </div>
    </div>
  );
}

const PARAMETERS = "parameters";
const ROWS = "grid grid-cols-[repeat(auto-fill,minmax(184px,1fr))] gap-x-2";
const MANY = 3; // members from which on they stand as a table
const FEW = 8; // settings of a member, which are all shown

/** Whether a setting need not be given, no member gives it, and nothing would be seen of it. */
function isUnused(s: ParamView, members: Record<string, Record<string, unknown>>): boolean {
  if (s.shows) return false;
  return (s.optional || s.default !== null) && Object.values(members).every((m) => m[s.name] === undefined);
}

function Parameters({ view, open, find }: { view: CaseView; open: OpenCase; find: string }) {
  const [name, setName] = useState("");
  const [error, setError] = useState<unknown>(null);
  const add = async () => {
    try {
      await open.tryEdit(patchAt(["parameters", name], "1"), `new parameter ${name}`);
      setName("");
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  const found = view.parameters.filter((p) => meets(find, p.name, "parameter"));
  if (find && !found.length) return null;
  return (
    <>
      <div className="flex items-baseline justify-between px-2.5 pt-1">
        <h3 className="cap">Parameters</h3>
        <FromLibrary view={view} open={open} />
      </div>
      <div className={ROWS}>
        {found.map((p) => (
          <TypedInput
            key={p.name}
            at={`parameters/${p.name}`}
            label={p.name}
            value={typedText(p.typed)}
            hint={`= ${p.value} ${p.unit}`}
            onKeep={(t) => open.tryEdit(patchAt(["parameters", p.name], typedValue(t)), `${p.name} = ${t}`)}
          />
        ))}
      </div>
      <form
        className="flex items-center gap-2 px-2.5 py-1"
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <input
          className="in max-w-[150px]"
          placeholder="new parameter"
          aria-label="Name of a new parameter"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button type="submit" className="btn small" disabled={!name}>
          Add
        </button>
      </form>
      <Faults error={error} onClose={() => setError(null)} />
    </>
  );
}

function PhenomenonValues({
  view,
  open,
  name,
  find,
  whole,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  find: string;
  whole: boolean;
}) {
  const p = view.phenomena[name]!;
  const given = view.data.phenomena[name] ?? {};
  const settings = p.settings.filter((s) => meets(find, p.label, s.label, s.name));
  const all = meets(find, p.label);
  return (
    <section aria-label={`${p.label}, values`}>
      {(!find || settings.length > 0) && (
        <div className="flex items-baseline gap-2 px-2.5 pt-2">
          <h3 className="cap">{p.label}</h3>
          {whole && (
            <button
              type="button"
              className="btn quiet small ml-auto"
              onClick={() => void toggled(view, open, name)}
            >
              Switch off
            </button>
          )}
        </div>
      )}
      {whole && !find && (
        <p className="px-2.5 pb-0.5 text-[12.5px] text-ink2">
          {p.about} <span className="text-ink3">{p.source && `${capital(p.source)}.`}</span>
        </p>
      )}
      <div className={ROWS}>
        {settings.map((s) => (
          <Setting
            key={s.name}
            view={view}
            open={open}
            path={["phenomena", name, s.name]}
            param={s}
            value={given[s.name]}
          />
        ))}
      </div>
      {p.member_kinds.map((k) => (
        <Members key={k.key} view={view} open={open} name={name} kind={k} find={all ? "" : find} />
      ))}
      {p.pairings.map((pairing) => {
        const pairs = pairsOf(p, pairing, given).filter((pair) => all || meets(find, pair));
        return (
          pairs.length > 0 && (
            <SetTable
              key={pairing.key}
              view={view}
              open={open}
              heading={pairing.kinds.join(" and ")}
              path={["phenomena", name, pairing.key]}
              rows={pairs.map((pair) => ({
                name: pair,
                label: capital(pair.replace("-", " and ").replace(/_/g, " ")),
                values: listed(given, pairing.key)[pair] ?? {},
              }))}
              params={pairing.settings}
            />
          )
        );
      })}
    </section>
  );
}

interface SetRow {
  name: string;
  label: string;
  values: Record<string, unknown>;
}

/** Sets of values that are alike, one in a row: members or pairs of them. */
function SetTable({
  view,
  open,
  heading,
  path,
  rows,
  params,
  onDrop,
}: {
  view: CaseView;
  open: OpenCase;
  heading: string;
  path: string[];
  rows: SetRow[];
  params: ParamView[];
  onDrop?: (name: string) => void;
}) {
  return (
    <div className="scroll px-2.5 pt-1">
      <table className="sets">
        <thead>
          <tr>
            <th>{heading}</th>
            {params.map((s) => (
              <th key={s.name} title={capital(s.why)}>
                {s.label}
                {s.unit && <small>{s.unit}</small>}
              </th>
            ))}
            {onDrop && <th />}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.name}>
              <th scope="row">{r.label}</th>
              {params.map((s) => (
                <td key={s.name} style={{ minWidth: widthOf(rows.map((row) => row.values[s.name])) }}>
                  <Setting
                    view={view}
                    open={open}
                    path={[...path, r.name, s.name]}
                    param={s}
                    value={r.values[s.name]}
                    bare={r.label}
                  />
                </td>
              ))}
              {onDrop && (
                <td>
                  <button
                    type="button"
                    className="btn quiet small"
                    aria-label={`Drop ${r.label}`}
                    onClick={() => onDrop(r.name)}
                  >
                    Drop
                  </button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** Of a column that shows these values whole (px), within reason. */
function widthOf(values: unknown[]): number {
  const longest = Math.max(0, ...values.map((v) => typedText(v).length));
  return Math.min(Math.max(92, 7.4 * longest + 22), 290);
}

/** Members of one kind: their values, one more, one less; many stand as a table. Of kinds with many
 * settings, those that nobody gives and that need not be given are shown when asked for.
 */
function Members({
  view,
  open,
  name,
  kind,
  find,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  kind: PhenomenonView["member_kinds"][number];
  find: string;
}) {
  const members = listed(view.data.phenomena[name] ?? {}, kind.key);
  const [fresh, setFresh] = useState("");
  const [whole, setWhole] = useState(false);
  const rows: SetRow[] = Object.entries(members)
    .map(([m, values]) => ({ name: m, label: capital(m.replace(/_/g, " ")), values }))
    .filter((r) => meets(find, r.label, ...Object.values(r.values).map(typedText)));
  const path = ["phenomena", name, kind.key];
  const unused = kind.settings.length > FEW ? kind.settings.filter((s) => isUnused(s, members)) : [];
  const shown = whole ? kind.settings : kind.settings.filter((s) => !unused.includes(s));
  const drop =
    Object.keys(members).length > kind.least
      ? (m: string) => void open.edit(patchAt([...path, m], null), `drop ${m}`)
      : undefined;
  if (find && !rows.length) return null;
  return (
    <>
      {Object.keys(members).length >= MANY ? (
        <SetTable
          view={view}
          open={open}
          heading={kind.name}
          path={path}
          rows={rows}
          params={shown}
          onDrop={drop}
        />
      ) : (
        rows.map((r) => (
          <div key={r.name} role="group" aria-label={r.label}>
            <div className="flex items-center gap-2 px-2.5 pt-1 text-[12.5px] font-medium">
              {r.label}
              {drop && (
                <button type="button" className="btn quiet small" onClick={() => drop(r.name)}>
                  Drop
                </button>
              )}
            </div>
            <div className={ROWS}>
              {shown.map((s) => (
                <Setting
                  key={s.name}
                  view={view}
                  open={open}
                  path={[...path, r.name, s.name]}
                  param={s}
                  value={r.values[s.name]}
                />
              ))}
            </div>
          </div>
        ))
      )}
      <form
        className="flex items-center gap-2 px-2.5 py-1"
        onSubmit={(e) => {
          e.preventDefault();
          const blank = Object.fromEntries(
            kind.settings
              .filter((s) => s.default === null && !s.optional)
              .map((s) => [s.name, `1 ${s.unit}`.trim()]),
          );
          const first = Object.values(members)[0] ?? blank;
          void open
            .edit(patchAt([...path, fresh], first), `new ${kind.name} ${fresh}`)
            .then((ok) => ok && setFresh(""));
        }}
      >
        <input
          className="in max-w-[150px]"
          placeholder={`new ${kind.name}`}
          aria-label={`Name of a new ${kind.name}`}
          value={fresh}
          onChange={(e) => setFresh(e.target.value)}
        />
        <button type="submit" className="btn small" disabled={!fresh}>
          Add
        </button>
        {unused.length > 0 && (
          <button
            type="button"
            className="btn quiet small"
            aria-pressed={whole}
            title={unused.map((s) => s.label).join("; ")}
            onClick={() => setWhole(!whole)}
          >
            {whole ? "Only settings in use" : `${unused.length} more settings`}
          </button>
        )}
        {kind.known > 0 && <KnownSets view={view} open={open} name={name} kind={kind} />}
      </form>
    </>
  );
}

function Setting({
  view,
  open,
  path,
  param,
  value,
  bare,
}: {
  view: CaseView;
  open: OpenCase;
  path: string[];
  param: ParamView;
  value: unknown;
  bare?: string; // in a table: what its row is called
}) {
  const follows = param.law ? solvedIn(view, typedText(value)) : "";
  const key = path.join(" / "),
    source = view.data.sources?.[key];
  const keep = (typed: unknown, words: string) =>
    open.edit(patchAt(path, typed), `${param.label} = ${words}`);
  const choices = choicesOf(view, param);
  if (choices)
    return (
      <Choice
        param={param}
        choices={choices}
        value={value}
        bare={bare}
        at={path.join("/")}
        onKeep={(v, words) => void keep(v, words)}
      />
    );
  if (param.kind === "file")
    return (
      <HeldFile
        view={view}
        param={param}
        value={value}
        bare={bare}
        at={path.join("/")}
        onKeep={(v, words) => void keep(v, words)}
      />
    );
  return (
    <TypedInput
      at={path.join("/")}
      bare={!!bare}
      label={bare ? `${bare}, ${param.label}` : capital(param.label)}
      value={Array.isArray(value) ? value.join(", ") : typedText(value)}
      hint={value === undefined ? capital(param.why) : [follows, source].filter(Boolean).join("; ")}
      placeholder={param.default !== null ? `${String(param.default)}, assumed` : param.unit}
      onKeep={(t) =>
        open.tryEdit(
          {
            ...(source ? { sources: { [key]: null } } : {}),
            ...patchAt(
              path,
              param.kind === "count" || (param.dimension === "number" && /^[-+.\deE]+$/.test(t))
                ? Number(t)
                : typedValue(t),
            ),
          },
          `${param.label} = ${t}`,
        )
      }
    />
  );
}

/** What a value may be, where it is one of a few. */
function choicesOf(view: CaseView, param: ParamView): string[] | null {
  if (param.kind === "choice") return param.choices;
  if (param.kind === "flag") return ["yes", "no"];
  if (param.kind !== "place") return null;
  const { edges, zones } = view.places;
  return param.among === "edge" ? edges : param.among === "zone" ? zones : [...edges, ...zones];
}

function Choice({
  param,
  choices,
  value,
  bare,
  at,
  onKeep,
}: {
  param: ParamView;
  choices: string[];
  value: unknown;
  bare: string | undefined;
  at: string;
  onKeep: (value: unknown, words: string) => void;
}) {
  const id = useId();
  const flag = param.kind === "flag";
  const now = flag && typeof value === "boolean" ? (value ? "yes" : "no") : typedText(value);
  const gone = now && !choices.includes(now);
  const assumed = typedText(param.default);
  return (
    <div className={bare ? "" : "fld"} data-at={at}>
      {!bare && <label htmlFor={id}>{capital(param.label)}</label>}
      <Choose
        label={bare && `${bare}, ${param.label}`}
        id={id}
        className={`in ${gone ? "bad" : ""}`}
        value={now}
        onChoose={(to) => {
          const v = to;
          onKeep(v === "" ? null : flag ? v === "yes" : v, v.replace(/_/g, " ") || "not said");
        }}
        options={[
          ...(param.optional || param.default !== null || !now
            ? [{ value: "", label: assumed ? `${assumed}, assumed` : "not said" }]
            : []),
          ...(gone ? [{ value: now, label: `${now.replace(/_/g, " ")}, not drawn` }] : []),
          ...named(choices),
        ]}
      />
      {!bare && <div className="hint">{now ? "" : capital(param.why)}</div>}
    </div>
  );
}

/** A text file that the case holds: what it is called, how long it is, another one instead. */
function HeldFile({
  view,
  param,
  value,
  bare,
  at,
  onKeep,
}: {
  view: CaseView;
  param: ParamView;
  value: unknown;
  bare: string | undefined;
  at: string;
  onKeep: (value: unknown, words: string) => void;
}) {
  const id = useId();
  const held = value as { name: string; text: string } | null | undefined;
  const [fault, setFault] = useState("");
  const [typed, setTyped] = useState<string | null>(null); // rows that are being pasted or changed
  const take = (name: string, text: string) => {
    if (text.length > LARGEST) return setFault(`${name} is larger than ${LARGEST / 1000} kB.`);
    setFault("");
    setTyped(null);
    onKeep({ name, text }, name);
  };
  return (
    <div className={bare ? "" : "col-[1/-1]"} data-at={at}>
      <div className={bare ? "" : "fld"}>
        {!bare && <label htmlFor={id}>{capital(param.label)}</label>}
        <div className="flex gap-1">
          <input
            id={id}
            aria-label={bare && `${bare}, ${param.label}`}
            type="file"
            className="in max-w-[260px] py-[3px] text-[12px]"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) void file.text().then((text) => take(file.name, text));
            }}
          />
          <button
            type="button"
            className="btn small flex-none"
            onClick={() => setTyped(typed === null ? (held?.text ?? "") : null)}
          >
            {typed !== null ? "Leave it" : held ? "Rows" : "Paste"}
          </button>
        </div>
        <div className={`hint ${fault ? "bad" : ""}`}>
          {fault ||
            (held ? `${held.name}, ${held.text.trimEnd().split("\n").length} lines` : capital(param.why))}
          {held && param.optional && (
            <button type="button" className="btn quiet small" onClick={() => onKeep(null, "no file")}>
              Drop
            </button>
          )}
        </div>
      </div>
      {typed !== null && (
        <div className="flex flex-col gap-1 px-2.5 pb-1">
          <textarea
            className="in num h-auto resize-y py-1 leading-[1.35]"
            rows={8}
            spellCheck={false}
            aria-label={`${bare ?? capital(param.label)}: rows`}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <button
            type="button"
            className="btn primary small self-start"
            disabled={!typed.trim() || typed === held?.text}
            onClick={() => take(held?.name ?? "pasted.csv", typed)}
          >
            Take these rows
          </button>
        </div>
      )}
      {param.shows && held && <MadeOf view={view} at={at} value={held} />}
    </div>
  );
}

/** Which solved fields and readouts a law names, in words. */
function solvedIn(view: CaseView, text: string) {
  const known = [...Object.keys(view.fields), ...Object.keys(view.data.readouts ?? {})].filter(
    (n) => !(n in (view.data.parameters ?? {})),
  );
  const named = known.filter((n) => new RegExp(`\\b${n}\\b`).test(text));
  return named.length ? `Follows ${named.join(", ").replace(/_/g, " ")}` : "";
}
