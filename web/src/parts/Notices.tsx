import { useState } from "react";
import { create } from "zustand";
import type { RunView } from "../client/views";
import { useView } from "../state";

interface Notice {
  run: string;
  case: string;
  number: number;
  status: RunView["status"];
  at: number;
}
const WORDS: Partial<Record<RunView["status"], string>> = {
  finished: "settled",
  failed: "went out",
  interrupted: "was interrupted and waits for you",
  stopped: "is held",
};

export const useNotices = create<{ all: Notice[]; put: (n: Notice) => void; drop: (run: string) => void }>(
  (set) => ({
    all: [],
    put: (n) => set((s) => ({ all: [...s.all.filter((o) => o.run !== n.run), n].slice(-20) })),
    drop: (run) => set((s) => ({ all: s.all.filter((n) => n.run !== run) })),
  }),
);

/** A run has ended, or wants a person: said in the page and, if allowed, by the browser. */
export function announce(before: RunView["status"] | undefined, now: RunView, name: string): void {
  if (
    (before !== "running" && before !== "waiting") ||
    before === now.status ||
    !WORDS[now.status] ||
    now.serves
  )
    return;
  const { screen, caseId, runId } = useView.getState();
  const looking =
    !document.hidden && caseId === now.case && (screen === "fire" || (screen === "read" && runId === now.id));
  if (looking || (now.status === "stopped" && !document.hidden)) return;
  useNotices
    .getState()
    .put({ run: now.id, case: now.case, number: now.number, status: now.status, at: Date.now() });
  if ("Notification" in window && Notification.permission === "granted" && document.hidden) {
    const told = new Notification(`${name}, run ${now.number} ${WORDS[now.status]}`, {
      body: now.message || undefined,
      tag: now.id,
    });
    told.onclick = () => {
      window.focus();
      useView
        .getState()
        .go({ screen: now.status === "finished" ? "read" : "fire", caseId: now.case, runId: now.id });
    };
  }
}

/** What has ended elsewhere, until it is looked at. */
export function Notices({ names }: { names: Record<string, string> }) {
  const { all, drop } = useNotices();
  const go = useView((s) => s.go);
  if (!all.length) return null;
  const n = all[all.length - 1]!;
  return (
    <span className="flex items-center gap-1" role="status" aria-label="Notice">
      <button
        type="button"
        className={`btn small ${n.status === "finished" ? "" : "!border-copperfill !text-copper"}`}
        onClick={() => {
          drop(n.run);
          go({ screen: n.status === "finished" ? "read" : "fire", caseId: n.case, runId: n.run });
        }}
      >{`${names[n.case] ?? "A case"}, run ${n.number} ${WORDS[n.status]}`}</button>
      {all.length > 1 && <span className="text-[11.5px] text-ink3">{`and ${all.length - 1} more`}</span>}
      <button
        type="button"
        className="btn quiet small !px-1.5"
        aria-label="Put the notice away"
        onClick={() => drop(n.run)}
      >
        Esc
      </button>
    </span>
  );
}

/** Asks the browser to tell when a run is done while this page is not in sight. */
export function TellMe() {
  const [may, setMay] = useState("Notification" in window ? Notification.permission : "denied");
  if (may !== "default")
    return may === "granted" ? (
      <span className="text-[11.5px] text-ink3">the browser tells when it is done</span>
    ) : null;
  return (
    <button
      type="button"
      className="btn quiet small"
      title="A notice of the browser when it is done or needs you, while this page is not in sight"
      onClick={() => void Notification.requestPermission().then(setMay)}
    >
      Tell me
    </button>
  );
}
