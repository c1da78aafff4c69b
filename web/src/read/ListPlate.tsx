import { useState } from "react";
import type { FramesView } from "../client/views";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { Choose } from "../parts/Choose";
import { handTable } from "../parts/saving";
import { KeepReadout } from "./KeepReadout";
import { METRES } from "./Layers";
import { useListing, useSeen } from "./useField";

type Listing = FramesView["listings"][string];
type Told = Listing["entries"][number];

const MOST = 200; // rows that are shown; a table saved has all that are drawn
const NUMBERED = 40; // of them, with their numbers on the picture

/** What a run follows one by one, where each is a thing and not a point of a line. */
export const listsOf = (frames: FramesView) =>
  Object.keys(frames.listings).filter((n) => !frames.listings[n]!.line);

/** Whether a list tells what happened up to a frame, and not where things are in it. */
export const isStory = (listing: Listing) => listing.entries.some((e) => e.name === "time");

/** The number a row goes by: its own, which it keeps from frame to frame, or its place in the list. */
const numberIn = (entries: Told[], values: ArrayLike<number>, row: number) => {
  const own = entries.findIndex((e) => e.name === "number");
  return own < 0 ? row + 1 : values[row * entries.length + own]!;
};

const wordOf = (entry: Told, value: number) => entry.words[value] ?? "";

/** Drops, pockets, parcels: a row for each in the frame shown, and how many have which words. */
export function ListPlate() {
  const { frames } = useSeen();
  const names = listsOf(frames);
  const [chosen, setChosen] = useState("");
  const [only, setOnly] = useState<string[]>([]);
  const name = names.includes(chosen) ? chosen : (names[0] ?? "");
  const told = useListing(name);
  const listing = frames.listings[name];
  if (!listing) return <p className="p-3 text-ink2">Nothing is followed one by one in this run.</p>;
  const entries = listing.entries,
    wide = entries.length;
  const order = entries
    .map((_, k) => k)
    .filter((k) => entries[k]!.name !== "number")
    .sort((a, b) => Number(!entries[a]!.words.length) - Number(!entries[b]!.words.length));
  const kinds = entries.filter((e) => e.words.length > 0 && e.words.length < 6);
  const at = (row: number, k: number) => told!.values[row * wide + k]!;
  const rows = Array.from({ length: told?.rows ?? 0 }, (_, row) => row).filter((row) =>
    only.every((w) => entries.some((e, k) => e.words.length > 0 && wordOf(e, at(row, k)) === w)),
  );
  const cell = (row: number, e: Told, k: number) =>
    e.words.length ? wordOf(e, at(row, k)) : Number.isFinite(at(row, k)) ? show(at(row, k), 3) : "";
  const volume = isStory(listing) ? -1 : entries.findIndex((e) => e.name === "volume");
  const sum = volume < 0 ? null : rows.reduce((s, row) => s + at(row, volume), 0);
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-x-3 gap-y-1 border-b border-hair2 px-2.5 py-1.5 text-[12px] text-ink2">
        {names.length > 1 && (
          <Choose
            className="in w-[150px]"
            label="What is listed"
            value={name}
            onChoose={(n) => {
              setChosen(n);
              setOnly([]);
            }}
            options={names.map((n) => ({ value: n, label: frames.listings[n]!.label }))}
          />
        )}
        {kinds.map((e) => (
          <span key={e.name} className="flex gap-0.5" role="group" aria-label={e.label}>
            {e.words.map((w) => (
              <button
                type="button"
                key={w}
                className={`btn small ${only.includes(w) ? "on" : "quiet"}`}
                aria-pressed={only.includes(w)}
                onClick={() =>
                  setOnly(
                    only.includes(w)
                      ? only.filter((o) => o !== w)
                      : [...only.filter((o) => !e.words.includes(o)), w],
                  )
                }
              >
                {w.replace(/_/g, " ")}
              </button>
            ))}
          </span>
        ))}
      </div>
      <p className="flex flex-none items-center gap-2 px-2.5 py-1 text-[12px] text-ink2" role="status">
        <b className="num font-medium">{rows.length}</b>
        {rows.length > 1 && (isStory(listing) ? "as they came" : "largest first")}
        {sum !== null && rows.length > 0 && (
          <span className="num whitespace-nowrap">
            {show(sum, 4)} {entries[volume]!.unit} in all
          </span>
        )}
        <span className="ml-auto flex items-center gap-1.5">
          <KeepReadout
            label={`How many ${only.length ? only.map((w) => w.replace(/_/g, " ")).join(", ") : "there are"}`}
            readout={{
              kind: "listed",
              listing: name,
              sums: "how many",
              ...(only.length ? { only: only.join(", ") } : {}),
            }}
          />
          <button
            type="button"
            className="btn small"
            disabled={!rows.length}
            onClick={() =>
              handTable(
                name,
                entries.map((e) => (e.unit ? `${e.label} [${e.unit}]` : e.label)),
                entries.map((e, k) =>
                  rows.map((row) => (e.words.length ? wordOf(e, at(row, k)) : at(row, k))),
                ),
              )
            }
          >
            Save the table
          </button>
        </span>
      </p>
      <div className="scroll min-h-0 flex-1">
        <table className="t">
          <thead>
            <tr>
              <th />
              {order.map((k) => (
                <th key={k} className={entries[k]!.words.length ? "" : "num"}>
                  {entries[k]!.label}
                  {entries[k]!.unit && `, ${entries[k]!.unit}`}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, MOST).map((row) => (
              <tr key={row}>
                <td>
                  <span className="balloon" style={{ width: "auto", minWidth: 20, paddingInline: 3 }}>
                    {numberIn(entries, told!.values, row)}
                  </span>
                </td>
                {order.map((k) => (
                  <td key={k} className={entries[k]!.words.length ? "whitespace-nowrap" : "num"}>
                    {cell(row, entries[k]!, k).replace(/_/g, " ")}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {rows.length > MOST && (
          <p className="px-2.5 py-1 text-[11.5px] text-ink3">{`${rows.length - MOST} more are in the saved table.`}</p>
        )}
      </div>
    </>
  );
}

/** As wide as a number wants it. */
function Ring({ digits }: { digits: number }) {
  const half = Math.max(8.5, 3.4 * digits + 1.5);
  return (
    <rect
      x={-half}
      y={-8.5}
      width={2 * half}
      height={17}
      rx={8.5}
      fill="var(--enamel)"
      stroke="var(--soot)"
      strokeWidth={1}
    />
  );
}

/** The rows' numbers where each is, while the list is looked at. */
export function ListNumbers({ name, f }: { name: string; f: Fit }) {
  const { frames } = useSeen();
  const told = useListing(name);
  const entries = frames.listings[name]!.entries;
  const [x, y] = ["x", "y"].map((n) => entries.findIndex((e) => e.name === n)) as [number, number];
  if (!told || x < 0 || y < 0) return null;
  const at = (row: number, k: number) =>
    told.values[row * entries.length + k]! * (METRES[entries[k]!.unit] ?? 1);
  return (
    <g role="img" aria-label={`numbers of ${frames.listings[name]!.label.toLowerCase()}`}>
      {Array.from({ length: Math.min(told.rows, NUMBERED) }, (_, row) => (
        <g key={row} transform={`translate(${f.X(at(row, x)).toFixed(1)} ${f.Y(at(row, y)).toFixed(1)})`}>
          <Ring digits={String(numberIn(entries, told.values, row)).length} />
          <text textAnchor="middle" dy={3.6} fontSize={10.5} className="num" fill="var(--soot)">
            {numberIn(entries, told.values, row)}
          </text>
        </g>
      ))}
    </g>
  );
}
