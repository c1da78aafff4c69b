import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api } from "../client";
import type { CaseView, FieldData, RunView } from "../client/views";
import { isLong } from "../drawing/fit";
import { show, span } from "../drawing/number";
import { Foot } from "../parts/Bar";
import { Choose } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { FieldPicture } from "../parts/FieldPicture";
import { useKeys } from "../parts/keys";
import { clock, endOf, Lamp, remaining } from "../parts/Lamp";
import { TellMe } from "../parts/Notices";
import { Walls } from "../parts/Walls";
import { useView } from "../state";
import { Adjusted, Adjusting } from "./Adjusting";
import { DropRun } from "./DropRun";
import { useWatches, Watches } from "./Watches";

export function FireScreen({ id, runId }: { id: string; runId: string | null }) {
  const { go, variant } = useView();
  const queries = useQueryClient();
  const runs = useQuery({ queryKey: ["runs", id], queryFn: () => api.runs(id) });
  const shown = runId ?? runs.data?.[0]?.id ?? null;
  const view = useQuery({
    queryKey: shown ? ["run-case", shown] : ["case", id, ""],
    queryFn: () => (shown ? api.runCase(shown) : api.case(id)),
  });
  const run = useQuery({ queryKey: ["run", shown], queryFn: () => api.run(shown!), enabled: !!shown });
  const watches = useWatches(shown, run.data?.newest?.step);
  const [error, setError] = useState<unknown>(null);
  const attempt = async (act: () => Promise<unknown>) => {
    try {
      await act();
      setError(null);
    } catch (e) {
      setError(e);
    }
    await queries.invalidateQueries({ queryKey: ["run", shown] });
    await queries.invalidateQueries({ queryKey: ["runs", id] });
  };
  const stop = () =>
    shown &&
    (run.data?.status === "running" || run.data?.status === "waiting") &&
    attempt(() => api.order(shown, "stop"));
  const resume = () => shown && attempt(() => api.resume(shown));
  const fire = () => attempt(async () => go({ screen: "fire", runId: (await api.fire(id, variant)).id }));
  useKeys({ "ctrl+.": () => void stop(), "ctrl+Enter": () => void fire() });
  const drop = () =>
    shown &&
    attempt(async () => {
      await api.dropRun(shown);
      go({ runId: null });
      await queries.invalidateQueries({ queryKey: ["cases"] });
    });
  const choose = (
    <Choose
      toolbar
      className="in ml-1 w-[96px]"
      label="Run"
      value={shown ?? ""}
      onChoose={(to) => go({ runId: to })}
      options={(runs.data ?? []).map((r) => ({ value: r.id, label: `run ${r.number}` }))}
    />
  );
  if (run.data?.status === "damaged") {
    return (
      <>
        <main className="flex flex-1 flex-col items-center justify-center gap-3 px-8 text-ink2">
          <div role="alert" className="max-w-[640px] border-l-4 border-copperfill bg-copperwash px-3 py-1.5">
            <b className="font-medium">{`Run ${run.data.number} cannot be read.`}</b> {run.data.message}
          </div>
          <Faults error={error} />
          <div className="flex items-center gap-2">
            {choose}
            <DropRun onDrop={() => void drop()} />
          </div>
        </main>
        <Foot keys={[["2", "back to Set"]]} />
      </>
    );
  }
  if (!view.data)
    return (
      <main className="flex-1 p-4">
        <Faults error={view.error} />
      </main>
    );
  if (!shown) {
    return (
      <>
        <main className="flex flex-1 flex-col items-center justify-center gap-3 text-ink2">
          <p>This case has not been fired yet.</p>
          <Faults error={error} />
          <button
            type="button"
            className="btn primary"
            disabled={!view.data.can_run}
            onClick={() => void fire()}
          >
            {view.data.can_run ? "Fire" : "Fire: the audit has something to settle"}
          </button>
        </main>
        <Foot keys={[["2", "back to Set"]]} right={["Ctrl Enter", "fire"]} />
      </>
    );
  }
  const now = run.data;
  const canResume = now?.status === "interrupted" || now?.status === "stopped";
  return (
    <>
      <main className="flex min-h-0 flex-1 flex-col gap-[9px] px-2.5 pb-1 pt-[9px]">
        <section className="plate flex-none" aria-label="Run control">
          <div className="flex items-center gap-2.5 px-2.5 py-2">
            {now?.status === "waiting" ? (
              <>
                <button type="button" className="btn" onClick={() => void stop()}>
                  Take it out
                </button>
                <button
                  type="button"
                  className="btn"
                  disabled={now.place === 1}
                  onClick={() => void attempt(() => api.order(shown, "first"))}
                >
                  Make it next
                </button>
              </>
            ) : (
              <button
                type="button"
                className="btn"
                disabled={now?.status !== "running"}
                title="Everything up to here is kept; adjust, go on, or leave it"
                onClick={() => void stop()}
              >
                Hold
              </button>
            )}
            <button type="button" className="btn" disabled={!canResume} onClick={() => void resume()}>
              {now?.status === "stopped" ? "Go on" : "Resume"}
            </button>
            <button type="button" className="btn" disabled={!view.data.can_run} onClick={() => void fire()}>
              Fire again
            </button>
            {now && <Progress run={now} />}
            {choose}
            {now && <Lamp run={now} />}
            {now?.status === "running" && <TellMe />}
            <button
              type="button"
              className="btn small"
              disabled={!now?.newest}
              title={now?.newest ? "What it has kept so far" : "It has kept nothing yet"}
              onClick={() => go({ screen: "read", runId: shown })}
            >
              Read it
            </button>
            <DropRun
              disabled={now?.status === "running" || now?.status === "waiting"}
              onDrop={() => void drop()}
            />
          </div>
          <Faults error={error} onClose={() => setError(null)} />
          {now?.status === "failed" && (
            <div role="alert" className="border-l-4 border-copperfill bg-copperwash px-3 py-1.5">
              <b className="font-medium">The fire went out.</b> {now.message} Frames up to then are kept.
            </div>
          )}
          {now?.status === "interrupted" && (
            <div role="alert" className="border-l-4 border-copperfill bg-copperwash px-3 py-1.5">
              <b className="font-medium">The run was interrupted.</b> Its process is gone; every kept frame is
              here. Resume goes on from the newest checkpoint with the same numbers.
            </div>
          )}
          {now && now.adjusted.length > 0 && <Adjusted run={now} />}
        </section>
        {now && canResume && now.place === 0 && now.newest && (
          <Adjusting
            key={now.id}
            run={now}
            onGoesOn={() =>
              attempt(async () => {
                await queries.invalidateQueries({ queryKey: ["run-case", shown] });
              })
            }
          />
        )}
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,44fr)_minmax(0,56fr)] gap-[9px]">
          {now && <LivePicture view={view.data} run={now} />}
          <div className="grid min-h-0 grid-rows-[minmax(0,2.4fr)_minmax(110px,1fr)] gap-[9px]">
            <Watches caseId={id} view={view.data} watches={watches} />
            <section className="plate" aria-label="Run log">
              <header>
                Run log <small>run {now?.number}</small>
              </header>
              <div className="scroll flex-1">
                {[...(now?.log ?? [])].reverse().map((l) => (
                  <div
                    key={l.id}
                    className="grid grid-cols-[52px_14px_1fr_auto] items-center gap-2 border-b border-hair2 px-2.5 py-[3px] text-[12.5px]"
                  >
                    <span className="num text-ink3">
                      {new Date(l.clock * 1000).toLocaleTimeString([], { hour12: false })}
                    </span>
                    <i
                      title={l.kind}
                      className="h-2 w-2 rounded-full border border-slateline"
                      style={{
                        background:
                          l.kind === "you" || l.kind === "failed" || l.kind === "back"
                            ? "var(--copperfill)"
                            : l.kind === "settled"
                              ? "var(--verdigris)"
                              : "transparent",
                      }}
                    />
                    <span>{l.text}</span>
                    <span className="num text-ink3">step {l.step}</span>
                  </div>
                ))}
              </div>
            </section>
          </div>
        </div>
      </main>
      <Foot
        keys={[
          ["2", "Set"],
          ["4", "Read"],
        ]}
        right={["Ctrl .", "hold"]}
      />
    </>
  );
}

function Progress({ run }: { run: RunView }) {
  const w = run.newest;
  const done = run.status === "finished" ? 1 : (w?.done ?? 0);
  return (
    <>
      <div
        className="relative h-3.5 min-w-0 flex-1 border border-rim bg-well"
        role="progressbar"
        aria-valuenow={Math.round(done * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-label="Share of the stage done"
      >
        <div className="h-full bg-copperfill" style={{ width: `${done * 100}%` }} />
      </div>
      <div className="w-[228px] text-right text-[12px] leading-tight">
        {w ? (
          <>
            <b className="num text-[12.5px]">
              {w.mode === "transient" ? `${show(w.stage_time, 4)} s` : `${w.stage_step} sweeps`}
            </b>{" "}
            of {w.stage}
          </>
        ) : (
          "starting up"
        )}
        <div className="text-ink3">
          {run.status === "running"
            ? remaining(run)
            : `took ${span(run.wall)}${run.expected ? ` (told ${span(run.expected[0])} to ${span(run.expected[1])})` : ""}, ended ${clock(endOf(run))}`}
        </div>
      </div>
    </>
  );
}

function LivePicture({ view, run }: { view: CaseView; run: RunView }) {
  const names = Object.keys(view.fields);
  const running = run.status === "running";
  const chief = names.filter((n) => view.fields[n]!.chief);
  const solving =
    run.newest?.mode === "steady" ? (chief[0] ?? names[0]) : (chief[chief.length - 1] ?? names[0]);
  const [chosen, setChosen] = useState<string | null>(null);
  const name = chosen ?? solving ?? "";
  const [live, setLive] = useState<FieldData | null>(null);
  useEffect(() => {
    if (!running || !name) return;
    let gone = false;
    const ask = () => void api.order(run.id, "watch", name, 8).catch(() => undefined);
    const look = async () => {
      const got = await api.live(run.id).catch(() => null);
      if (!gone && got && got.name === name) setLive(got);
    };
    ask();
    const renew = setInterval(ask, 4000),
      poll = setInterval(() => void look(), 220);
    return () => {
      gone = true;
      clearInterval(renew);
      clearInterval(poll);
    };
  }, [running, name, run.id]);
  const kept = useQuery({
    queryKey: ["field", run.id, run.last_frame, name],
    queryFn: () => api.field(run.id, run.last_frame!, name),
    enabled: !running && !!run.last_frame && !!name,
  });
  const frames = useQuery({
    queryKey: ["frames", run.id],
    queryFn: () => api.frames(run.id),
    enabled: !running && !!run.last_frame,
  });
  const last = frames.data?.frames[frames.data.frames.length - 1];
  const stood = useQuery({
    queryKey: ["walls", run.id, last?.id],
    queryFn: () => api.walls(run.id, last!.id),
    enabled: !running && !!last?.moved,
  });
  const field = running ? live : kept.data;
  const scale = useMemo(
    () => (field ? rangeOf(field, view.fields[name]?.centred ?? false) : null),
    [field, name, view.fields],
  );
  const [x0, y0, x1, y1] = view.sheet.box;
  return (
    <section className="plate" aria-label="Picture">
      <header>
        Picture
        <Choose
          toolbar
          className="in w-[150px]"
          label="Field of the picture"
          value={name}
          onChoose={(to) => setChosen(to)}
          options={names.map((n) => ({ value: n, label: view.fields[n]!.label }))}
        />
        <span className="r">
          <small>
            {running
              ? live
                ? `live, step ${live.step}`
                : "waiting for the first picture"
              : "last kept frame"}
          </small>
        </span>
      </header>
      <FieldPicture
        view={view}
        field={field ?? null}
        x={running ? undefined : frames.data?.x}
        y={running ? undefined : frames.data?.y}
        scale={scale}
        unit={view.fields[name]?.unit ?? ""}
        label={view.fields[name]?.label ?? ""}
        stretched={isLong(x1 - x0, y1 - y0)}
        overlay={({ f }) => <Walls view={view} f={f} moved={running ? live?.walls : stood.data?.rings} />}
      />
    </section>
  );
}

function rangeOf(field: FieldData, centred: boolean) {
  const top = Math.max(Math.abs(field.low), Math.abs(field.high));
  return centred
    ? { low: -top, high: top, steps: 256, reversed: false, centred }
    : { low: field.low, high: field.high, steps: 256, reversed: false, centred };
}
