import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Command } from "cmdk";
import { api } from "../client";
import type { CaseView } from "../client/views";
import { PLACES } from "../set/Ledger";
import { useView } from "../state";

/** Reaches every screen, case, place and readout by name. */
export function Finder() {
  const { finder, setFinder, go, caseId, variant, setTheme, theme, setKeys, setSums } = useView();
  const cases = useQuery({ queryKey: ["cases"], queryFn: api.cases });
  const queries = useQueryClient();
  if (!finder) return null;
  const view = caseId ? queries.getQueryData<CaseView>(["case", caseId, variant]) : undefined;
  const pick = (act: () => void) => () => {
    setFinder(false);
    act();
  };
  const point = (place: string) => {
    go({ screen: "set" });
    setTimeout(() => dispatchEvent(new CustomEvent("pick-place", { detail: place })), 60);
  };
  const item = (words: string, note: string, act: () => void) => (
    <Command.Item
      key={words + note}
      value={`${words} ${note}`}
      onSelect={pick(act)}
      className="flex h-7 cursor-pointer items-center gap-3 px-3 data-[selected=true]:bg-copperwash data-[selected=true]:shadow-[inset_4px_0_0_var(--copperfill)]"
    >
      {words}
      <em className="ml-auto text-[12px] not-italic text-ink3">{note}</em>
    </Command.Item>
  );
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the dimmed page closes what lies over it; Escape does the same
    <div className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" onMouseDown={() => setFinder(false)}>
      <Command
        label="Find anything"
        loop
        className="mx-auto mt-[90px] w-[520px] overflow-hidden rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel shadow-xl"
        onMouseDown={(e) => e.stopPropagation()}
        onKeyDown={(e) => e.key === "Escape" && setFinder(false)}
      >
        <Command.Input
          autoFocus
          placeholder="A case, a place, a readout, a screen"
          className="h-9 w-full border-b border-hair bg-transparent px-3 text-[14px] outline-none"
        />
        <Command.List className="scroll max-h-[340px] py-1">
          <Command.Empty className="px-3 py-2 text-ink3">Nothing here goes by that name.</Command.Empty>
          {view?.ledger.rows.map((r) =>
            item(r.label, r.on === "edge" ? "edge on the sheet" : PLACES[r.on], () => point(r.place)),
          )}
          {view?.paper.map((r) => item(r.label, "readout", () => go({ screen: "read" })))}
          {cases.data?.map((c) =>
            item(c.name, "case", () => go({ screen: "set", caseId: c.id, runId: null })),
          )}
          {item("Shelf", "screen", () => go({ screen: "shelf" }))}
          {caseId && item("Set", "screen", () => go({ screen: "set" }))}
          {caseId && item("Fire", "screen", () => go({ screen: "fire" }))}
          {caseId && item("Read", "screen", () => go({ screen: "read" }))}
          {item("Side sums", "humidity, drops, hand relations", () => setSums(true))}
          {item("All keys", "help", () => setKeys(true))}
          {item(theme === "light" ? "Dark theme" : "Light theme", "look", () =>
            setTheme(theme === "light" ? "dark" : "light"),
          )}
        </Command.List>
      </Command>
    </div>
  );
}
