import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api } from "../client";
import type { CaseView, KnownSetView, PhenomenonView } from "../client/views";
import { Faults } from "../parts/Faults";
import { capital, typedText } from "./TypedInput";
import { merged, type OpenCase, type Patch, patchAt } from "./useCase";
import { listed } from "./values";

type Kind = PhenomenonView["member_kinds"][number];

/** Members that belong together and are known from a source, taken into the case as a whole. */
export function KnownSets({
  view,
  open,
  name,
  kind,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  kind: Kind;
}) {
  const [shown, setShown] = useState(false);
  return (
    <>
      <button type="button" className="btn small" onClick={() => setShown(true)}>
        {`Known ${kind.name}s`}
      </button>
      <Dialog.Root open={shown} onOpenChange={setShown}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed left-1/2 top-16 z-30 flex max-h-[84vh] w-[1000px] max-w-[94vw] -translate-x-1/2 flex-col rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-4"
          >
            <Dialog.Title className="cap mb-2 text-[13px] text-soot">{`Known ${kind.name}s`}</Dialog.Title>
            {shown && (
              <Choosing view={view} open={open} name={name} kind={kind} onDone={() => setShown(false)} />
            )}
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </>
  );
}

function Choosing({
  view,
  open,
  name,
  kind,
  onDone,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  kind: Kind;
  onDone: () => void;
}) {
  const [chosen, setChosen] = useState(0);
  const [error, setError] = useState<unknown>(null);
  const told = useQuery({ queryKey: ["known", name, kind.key], queryFn: () => api.known(name, kind.key) });
  const set = told.data?.[chosen];
  const take = async () => {
    if (!set) return;
    try {
      await open.tryEdit(patchOf(name, kind, set), set.label);
      onDone();
    } catch (e) {
      setError(e);
    }
  };
  const there = set
    ? Object.keys(set.members).filter((m) => m in listed(view.data.phenomena[name] ?? {}, kind.key))
    : [];
  return (
    <div className="flex min-h-0 gap-3">
      <div
        className="scroll flex w-[230px] flex-none flex-col gap-0.5"
        role="listbox"
        aria-label="Known sets"
      >
        {told.data?.map((s, k) => (
          <button
            type="button"
            key={s.name}
            role="option"
            aria-selected={k === chosen}
            className={`btn small w-full justify-between whitespace-normal text-left ${k === chosen ? "on" : "quiet"}`}
            onClick={() => setChosen(k)}
          >
            <span>{s.label}</span>
            <span className="num opacity-80">{Object.keys(s.members).length}</span>
          </button>
        ))}
      </div>
      <div className="flex min-h-0 min-w-0 flex-1 flex-col gap-2">
        <Faults error={error ?? told.error} onClose={() => setError(null)} />
        {set && (
          <>
            <p className="text-[12.5px] text-ink2">{set.about}</p>
            <p className="text-[12px] text-ink3">{capital(set.source)}.</p>
            <SetOf set={set} kind={kind} />
            <div className="flex items-center justify-end gap-2">
              {there.length > 0 && (
                <span className="text-[12px] text-ink2">
                  {`Replaces ${there.map((m) => m.replace(/_/g, " ")).join(", ")}.`}
                </span>
              )}
              <button type="button" className="btn primary" onClick={() => void take()}>
                {`Take ${count(Object.keys(set.members).length, kind.name)}`}
              </button>
            </div>
          </>
        )}
      </div>
    </div>
  );
}

function count(many: number, name: string): string {
  return many === 1 ? `this ${name}` : `these ${many} ${name}s`;
}

/** What taking a set types into a case: its members, and what goes with them. */
export function patchOf(name: string, kind: Pick<Kind, "key">, set: KnownSetView): Patch {
  return merged(
    patchAt(["phenomena", name], set.settings),
    patchAt(["phenomena", name, kind.key], set.members),
  );
}

/** Its members, with those of their values that any has. */
function SetOf({ set, kind }: { set: KnownSetView; kind: Kind }) {
  const rows = Object.entries(set.members);
  const told = kind.settings.filter(
    (s) => s.name !== "source" && rows.some(([, values]) => values[s.name] !== undefined),
  );
  return (
    <div className="scroll min-h-0 flex-1">
      <table className="t">
        <thead>
          <tr>
            {told.map((s) => (
              <th key={s.name} className={s.kind === "text" ? "" : "num"}>
                {capital(s.label)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([member, values]) => (
            <tr key={member}>
              {told.map((s) => (
                <td
                  key={s.name}
                  className={s.kind === "text" ? "whitespace-nowrap font-mono text-[12px]" : "num"}
                >
                  {values[s.name] === true ? "yes" : typedText(values[s.name] ?? "")}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
