import type { RunView } from "../client/views";
import { span } from "../drawing/number";

/** The state of a run or case, as a lamp and always in words. */
export function Lamp({ run, missing }: { run?: RunView | null; missing?: number }) {
  const [look, words] = lampOf(run, missing);
  return (
    <span className={`lamp ${look}`} role="status">
      <i />
      {words}
    </span>
  );
}

export function lampOf(run?: RunView | null, missing = 0): [string, string] {
  if (run?.status === "running")
    return ["lit", run.newest ? `Firing, ${Math.floor(run.newest.done * 100)} %` : "Firing up"];
  if (missing > 0) return ["need", missing === 1 ? "1 thing to settle" : `${missing} things to settle`];
  if (!run) return ["", "Not fired"];
  if (run.status === "finished") return ["ok", `Settled ${clock(endOf(run))}`];
  if (run.status === "stopped") return ["half", "Held, kept"];
  if (run.status === "interrupted") return ["half", "Interrupted"];
  if (run.status === "failed") return ["out", "Went out"];
  if (run.status === "damaged") return ["out", "Cannot be read"];
  return ["", run.place > 1 ? `Waiting, ${run.place} in the queue` : "Waiting, next"];
}

/** When a run ended: its newest row is the last thing it kept; a run may have waited before. */
export function endOf(run: Pick<RunView, "newest" | "created" | "wall">): number {
  return run.newest?.clock ?? run.created + run.wall;
}

export function clock(seconds: number): string {
  const then = new Date(seconds * 1000);
  const today = new Date().toDateString() === then.toDateString();
  return today
    ? then.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false })
    : then.toLocaleDateString([], { day: "numeric", month: "short" });
}

/** How long is left of the whole run, as its pace so far tells. */
export function remaining(run: RunView): string {
  if (!run.left) return "working out how long";
  const [low, high] = run.left.map(span) as [string, string];
  return low === high ? `about ${low} left` : `about ${low} to ${high} left`;
}
