import { useQuery } from "@tanstack/react-query";
import { api } from "../client";
import type { RunView } from "../client/views";
import { type Screen, useView } from "../state";
import { Lamp } from "./Lamp";
import { Notices } from "./Notices";

const PLACES: [Screen, string][] = [
  ["shelf", "Shelf"],
  ["set", "Set"],
  ["fire", "Fire"],
  ["read", "Read"],
];

export function Bar() {
  const { screen, caseId, go, setFinder, theme, setTheme } = useView();
  const cases = useQuery({ queryKey: ["cases"], queryFn: api.cases });
  const here = cases.data?.find((c) => c.id === caseId);
  const latest = useQuery<RunView>({ queryKey: ["run-event", here?.last_run?.id], enabled: false }).data;
  const firing = cases.data?.filter((c) => c.last_run?.status === "running").length ?? 0;
  const about = useQuery({ queryKey: ["about"], queryFn: api.about, refetchInterval: 15_000 });
  return (
    <>
      {about.data?.notice && (
        <p
          role="alert"
          className="flex-none border-l-4 border-copperfill bg-copperwash px-3 py-1 text-[12.5px]"
        >
          {about.data.notice}
        </p>
      )}
      <header className="flex h-[44px] flex-none items-stretch gap-4 border-b-[3px] border-rim bg-enamel px-3">
        <div className="flex items-center gap-2 font-cond text-[16px] font-semibold tracking-[0.02em]">
          <Mark />
          Under Kettle
        </div>
        <div className="my-[9px] flex min-w-0 max-w-[300px] items-center gap-2 border-l border-hair pl-3.5">
          <b className="truncate text-[13.5px] font-semibold">
            {screen === "shelf" ? "Marrowby Peel Works" : (here?.name ?? "")}
          </b>
        </div>
        <nav className="mx-auto flex items-stretch" aria-label="Places">
          {PLACES.map(([name, label], k) => (
            <button
              type="button"
              key={name}
              disabled={name !== "shelf" && !caseId}
              aria-current={screen === name ? "page" : undefined}
              onClick={() => go({ screen: name })}
              className={`relative flex cursor-pointer items-center gap-1.5 px-[15px] pt-[3px] font-cond text-[14px] font-semibold uppercase tracking-[0.08em] disabled:cursor-not-allowed disabled:opacity-45 ${
                screen === name
                  ? "text-soot after:absolute after:-bottom-[3px] after:left-2.5 after:right-2.5 after:h-[5px] after:rounded-t-[2px] after:bg-copperfill"
                  : "text-ink2"
              }`}
            >
              <i className="num not-italic text-ink3">{k + 1}</i>
              {label}
            </button>
          ))}
        </nav>
        <div className="flex items-center gap-3">
          <Notices names={Object.fromEntries((cases.data ?? []).map((c) => [c.id, c.name]))} />
          <button
            type="button"
            className="flex h-[26px] w-[160px] cursor-pointer items-center gap-1.5 whitespace-nowrap rounded-full border border-slateline bg-well pl-2.5 pr-1.5 text-[12px] text-ink3"
            onClick={() => setFinder(true)}
          >
            <svg width="13" height="13" viewBox="0 0 13 13" aria-hidden="true">
              <circle cx="5.5" cy="5.5" r="4" fill="none" stroke="currentColor" strokeWidth="1.4" />
              <path d="M8.6 8.6 12 12" stroke="currentColor" strokeWidth="1.4" />
            </svg>
            Find anything
            <kbd className="ml-auto">/</kbd>
          </button>
          <button
            type="button"
            className="btn quiet small"
            onClick={() => setTheme(theme === "light" ? "dark" : "light")}
            title="Light or dark"
          >
            {theme === "light" ? "Dark" : "Light"}
          </button>
          {screen === "shelf" ? (
            <span className={`lamp ${firing ? "lit" : ""}`} role="status">
              <i />
              {firing ? `${firing} firing` : "Nothing firing"}
            </span>
          ) : (
            <Lamp run={latest ?? here?.last_run} missing={here?.missing} />
          )}
        </div>
      </header>
    </>
  );
}

function Mark() {
  return (
    <svg viewBox="0 0 52 56" className="h-7 w-[26px]" aria-hidden="true">
      <path d="M15 14A12 11 0 0 1 37 14" fill="none" stroke="var(--soot)" strokeWidth="2.8" />
      <path d="M10 15.5H42" stroke="var(--soot)" strokeWidth="3.6" strokeLinecap="round" />
      <path
        d="M12.5 17.5C8 27 9 34 14 37.5H38C43 34 44 27 39.5 17.5Z"
        fill="var(--well)"
        stroke="var(--soot)"
        strokeWidth="2.8"
        strokeLinejoin="round"
      />
      <path d="M42 30 51 18.5" stroke="var(--soot)" strokeWidth="3.4" strokeLinecap="round" />
      <path
        d="M26 39.5C31.5 45 31.8 48 30.8 50.8 29.8 53.6 27.6 55 26 55 24.4 55 22.2 53.6 21.2 50.8 20.2 48 20.5 45 26 39.5Z"
        fill="var(--copperfill)"
      />
    </svg>
  );
}

/** The bottom line: what the keys do here. */
export function Foot({ keys, right }: { keys: [string, string][]; right?: [string, string] }) {
  return (
    <footer className="flex h-6 flex-none items-center gap-4 px-3.5 text-[11.5px] text-ink2">
      {keys.map(([key, words]) => (
        <span key={key + words} className="flex items-center gap-1 whitespace-nowrap">
          {key.split(" ").map((k) => (
            <kbd key={k}>{k}</kbd>
          ))}
          {words}
        </span>
      ))}
      {right && (
        <span className="ml-auto flex items-center gap-1 whitespace-nowrap">
          {right[0].split(" ").map((k) => (
            <kbd key={k}>{k}</kbd>
          ))}
          {right[1]}
        </span>
      )}
    </footer>
  );
}
