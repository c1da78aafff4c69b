import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import { api } from "../client";
import { type Tab as Instrument, TABS, useReading } from "../read/reading";
import { PLACES } from "../set/Ledger";
import { type Screen, useView } from "../state";
import { ACTIONS, press } from "./actions";
import { aim, ask } from "./aim";
import { type Entry, found, ofCase, ofCases, ofProofs, ofRuns, ofSums, type Way } from "./finding";

const MOST = 60; // answers shown at once

const SCREENS: Entry[] = (["shelf", "set", "fire", "read"] as const).map((screen) => ({
  words: screen.slice(0, 1).toUpperCase() + screen.slice(1),
  note: "screen",
  way: { to: "screen", screen },
}));
const INSTRUMENTS: Entry[] = Object.entries(TABS).map(([tab, words]) => ({
  words,
  note: "instrument, in Read",
  way: { to: "instrument", tab },
}));

/** Reaches everything by its name, from every screen. */
export function Finder() {
  const finder = useView((v) => v.finder);
  const caseId = useView((v) => v.caseId);
  const variant = useView((v) => v.variant);
  // there before anybody asks for it
  useQuery({
    queryKey: ["case", caseId, variant],
    queryFn: () => api.case(caseId!, variant),
    enabled: !!caseId,
  });
  return finder ? <Finding /> : null;
}

const nameOf = (e: Entry, k: number) => `${k} ${e.words} ${e.note}`;

function Finding() {
  const { setFinder, caseId, variant, theme, screen } = useView();
  const [text, setText] = useState("");
  const typed = useDeferredValue(text);
  const cases = useQuery({ queryKey: ["cases"], queryFn: api.cases });
  const view = useQuery({
    queryKey: ["case", caseId, variant],
    queryFn: () => api.case(caseId!, variant),
    enabled: !!caseId,
  }).data;
  const runs = useQuery({
    queryKey: ["runs", caseId],
    queryFn: () => api.runs(caseId!),
    enabled: !!caseId,
  }).data;
  const sums = useQuery({ queryKey: ["sums"], queryFn: api.sums, staleTime: Infinity }).data;
  const proofs = useQuery({ queryKey: ["proofs"], queryFn: api.proofs, staleTime: Infinity }).data;
  const entries = useMemo<Entry[]>(() => {
    const actions = ACTIONS.filter((a) => a.press && (!a.on || a.on === "shelf" || caseId)).map(
      (action): Entry => ({
        words: action.words,
        note: action.on && action.on !== screen ? `in ${action.on}, ${action.keys}` : action.keys,
        way: { to: "action", action },
      }),
    );
    const here = actions.filter((a) => a.way.to === "action" && a.way.action.on === screen);
    return [
      ...(view ? ofCase(view, (on) => (on === "edge" ? "edge" : PLACES[on as keyof typeof PLACES])) : []),
      ...here,
      ...SCREENS.filter((s) => caseId || s.words === "Shelf"),
      ...(caseId ? INSTRUMENTS : []),
      ...ofRuns(runs ?? []),
      ...ofCases(cases.data ?? []),
      ...ofSums(sums ?? []),
      ...ofProofs(proofs ?? []),
      ...actions.filter((a) => !here.includes(a)),
      { words: theme === "light" ? "Dark theme" : "Light theme", note: "look", way: { to: "theme" } },
    ];
  }, [view, runs, cases.data, sums, proofs, theme, caseId, screen]);
  const shown = useMemo(() => found(entries, typed, MOST), [entries, typed]);
  const [chosen, setChosen] = useState("");
  // the best answer is the one that Enter follows, also when answers come late
  useEffect(() => setChosen(shown[0] ? nameOf(shown[0], 0) : ""), [shown]);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the dimmed page closes what lies over it; Escape does the same
    <div className="fixed inset-0 z-40 bg-[rgba(35,31,29,.28)]" onMouseDown={() => setFinder(false)}>
      <Command
        label="Find anything"
        loop
        value={chosen}
        onValueChange={setChosen}
        shouldFilter={false}
        className="mx-auto mt-[90px] w-[560px] overflow-hidden rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel shadow-xl"
        onMouseDown={(e) => e.stopPropagation()}
        onKeyDown={(e) => e.key === "Escape" && setFinder(false)}
      >
        <Command.Input
          autoFocus
          value={text}
          onValueChange={setText}
          onKeyDown={(e) => {
            if (e.key !== "Enter" || typed === text) return;
            e.preventDefault(); // typed faster than the list follows: the best answer to what is typed
            const [best] = found(entries, text, 1);
            setFinder(false);
            if (best) follow(best.way);
          }}
          placeholder={
            caseId ? "A value, a place, a field, an action, a case" : "A case, a side sum, an action"
          }
          className="h-9 w-full border-b border-hair bg-transparent px-3 text-[14px] outline-none"
        />
        <Command.List className="scroll max-h-[380px] py-1">
          <Command.Empty className="px-3 py-2 text-ink3">Nothing here goes by that name.</Command.Empty>
          {shown.map((e, k) => (
            <Command.Item
              key={nameOf(e, k)}
              value={nameOf(e, k)}
              onSelect={() => {
                setFinder(false);
                follow(e.way);
              }}
              className="flex h-7 cursor-pointer items-center gap-3 px-3 data-[selected=true]:bg-copperwash data-[selected=true]:shadow-[inset_4px_0_0_var(--copperfill)]"
            >
              <span className="truncate">{e.words.slice(0, 1).toUpperCase() + e.words.slice(1)}</span>
              <em className="ml-auto flex-none text-[12px] not-italic text-ink3">{e.note}</em>
            </Command.Item>
          ))}
        </Command.List>
      </Command>
    </div>
  );
}

const SOON = 60; // ms until a screen that was asked for is there

/** Goes where an entry leads, and puts the cursor there. */
function follow(way: Way): void {
  const { go, lay, showValues, setBoard, searchSums, setTheme, theme } = useView.getState();
  const toScreen = (screen: Screen, then: () => void) => {
    const there = useView.getState().screen === screen;
    if (!there) go({ screen });
    setTimeout(then, there ? 0 : SOON);
  };
  switch (way.to) {
    case "place":
      toScreen("set", () => ask("pick-place", { place: way.place, column: way.column ?? null }));
      break;
    case "values":
      showValues(way.section);
      toScreen("set", () => aim(way.at));
      break;
    case "tab":
      lay({ tab: way.tab });
      toScreen("set", () => aim(way.at));
      break;
    case "part":
      toScreen("set", () => ask("pick-part", way.part));
      break;
    case "field":
      toScreen("read", () => useReading.getState().changeTile({ name: way.name, kept: {} }));
      break;
    case "instrument":
      toScreen("read", () => useReading.getState().change({ tab: way.tab as Instrument }));
      break;
    case "sum":
      searchSums(way.text);
      break;
    case "proof":
      void api
        .proof(way.name)
        .then(api.addCase)
        .then(({ id }) => go({ screen: "set", caseId: id, runId: null }));
      break;
    case "board":
      toScreen("set", () => setBoard(true));
      break;
    case "case":
      go({ screen: "set", caseId: way.id, runId: null });
      break;
    case "run":
      go({ screen: way.frames ? "read" : "fire", runId: way.id });
      break;
    case "screen":
      go({ screen: way.screen });
      break;
    case "action":
      toScreen(way.action.on || useView.getState().screen, () => press(way.action.press!));
      break;
    case "theme":
      setTheme(theme === "light" ? "dark" : "light");
  }
}
