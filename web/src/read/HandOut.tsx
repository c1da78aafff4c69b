import { Popover } from "radix-ui";
import { useRef, useState } from "react";
import { api } from "../client";
import type { FrameView } from "../client/views";
import { asPng, picturesAsSvg, picturesPainted } from "../drawing/export";
import { show } from "../drawing/number";
import { fileName, hand } from "../parts/saving";
import { told } from "../set/TypedInput";
import { useReading } from "./reading";
import { along, keyOf, rests, type Seen, store, useFrame, useSeen } from "./useField";

const SHARP = 2; // pixels of a PNG per pixel of the screen

const group = () => document.querySelector<HTMLElement>("[data-pictures]")!;
const frameOf = ({ frames }: Seen) =>
  frames.frames[Math.min(useReading.getState().at, frames.frames.length - 1)]!;
const titleOf = (seen: Seen, frame: FrameView) => {
  const { view, run } = seen;
  return `${view.name}${run.variant ? `, ${run.variant.replace(/_/g, " ")}` : ""}, ${frame.stage}${rests(view, frame.stage) ? " settled" : ` at ${along(seen.frames, frame, 4)}`}`;
};
const twoFrames = () =>
  new Promise<void>((done) => requestAnimationFrame(() => requestAnimationFrame(() => done())));

/** Everything that goes out of Read: pictures, films, tables, frames. */
export function HandOut() {
  const seen = useSeen();
  const { run, frames } = seen;
  const [film, setFilm] = useState<{ done: number; of: number } | null>(null);
  const [fault, setFault] = useState(""),
    [every, setEvery] = useState(1);
  const dropped = useRef(false);
  const perSecond = useReading((s) => s.perSecond);
  const picture = async (as: "png" | "svg") => {
    const title = titleOf(seen, frameOf(seen)),
      name = fileName(title);
    setFault("");
    try {
      if (as === "svg")
        hand(new Blob([await picturesAsSvg(group(), title)], { type: "image/svg+xml" }), `${name}.svg`);
      else hand(await asPng(await picturesPainted(group(), title, SHARP)), `${name}.png`);
    } catch (e) {
      setFault(told(e));
    }
  };
  const make = async (kind: "mp4" | "gif") => {
    const state = useReading.getState(),
      back = state.at,
      chosen = frames.frames.flatMap((_, k) => (k % every ? [] : [k]));
    setFault("");
    dropped.current = false;
    setFilm({ done: 0, of: chosen.length });
    state.change({ playing: false, hover: null });
    let id = "";
    const made = new Map<string, HTMLImageElement>();
    try {
      for (const [n, k] of chosen.entries()) {
        if (dropped.current) break;
        const keys = useReading
          .getState()
          .tiles.filter((t) => t.over === "frame")
          .map((t) => keyOf(run.id, frames.frames[k]!.id, t.name));
        await Promise.all(keys.map((key) => store.load(key)));
        useReading.getState().change({ at: k });
        await twoFrames();
        const picture = await picturesPainted(group(), titleOf(seen, frames.frames[k]!), 1, made);
        if (!id) id = (await api.beginFilm(picture.width, picture.height, perSecond, kind)).id;
        await api.addPicture(id, await asPng(picture));
        setFilm({ done: n + 1, of: chosen.length });
      }
      if (dropped.current) await api.dropFilm(id);
      else
        hand(
          new Blob([await api.finishFilm(id)], { type: kind === "mp4" ? "video/mp4" : "image/gif" }),
          `${fileName(`${seen.view.name} run ${run.number}`)}.${kind}`,
        );
    } catch (e) {
      if (id) void api.dropFilm(id).catch(() => undefined);
      setFault(told(e));
    } finally {
      setFilm(null);
      useReading.getState().change({ at: back });
    }
  };
  const pictures = Math.ceil(frames.frames.length / every);
  return (
    <Popover.Root>
      <Popover.Trigger className="btn small">
        {film ? `Film, ${film.done} of ${film.of}` : "Hand out"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-20 w-[330px] rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-3 text-[12.5px] text-ink2 shadow-lg"
          aria-label="Hand out"
        >
          <Row says="What is seen, as a picture">
            <button type="button" className="btn small" onClick={() => void picture("png")}>
              PNG
            </button>
            <button type="button" className="btn small" onClick={() => void picture("svg")}>
              SVG
            </button>
          </Row>
          <Row
            says={`As a film, ${pictures} pictures at ${perSecond} a second: ${show(pictures / perSecond, 3)} s`}
          >
            {film ? (
              <button
                type="button"
                className="btn small"
                onClick={() => {
                  dropped.current = true;
                }}
              >
                Stop it
              </button>
            ) : (
              <>
                <button
                  type="button"
                  className="btn small"
                  disabled={pictures < 2}
                  onClick={() => void make("mp4")}
                >
                  MP4
                </button>
                <button
                  type="button"
                  className="btn small"
                  disabled={pictures < 2}
                  onClick={() => void make("gif")}
                >
                  GIF
                </button>
              </>
            )}
          </Row>
          {film && (
            <div
              className="my-1 h-2 border border-rim bg-well"
              role="progressbar"
              aria-label="Film"
              aria-valuemin={0}
              aria-valuemax={film.of}
              aria-valuenow={film.done}
            >
              <div className="h-full bg-copperfill" style={{ width: `${(100 * film.done) / film.of}%` }} />
            </div>
          )}
          <label className="flex items-center gap-1.5 pb-1.5 text-[12px]">
            every{" "}
            <input
              className="in !h-[22px] w-[48px] text-right"
              type="number"
              min={1}
              max={frames.frames.length}
              value={every}
              onChange={(e) => setEvery(Math.max(1, Math.round(Number(e.target.value) || 1)))}
            />{" "}
            frames; the speed is that of playing
          </label>
          {fault && (
            <p role="alert" className="text-copper">
              {fault}
            </p>
          )}
          <ThisFrame run={run.id} />
          <Row says="Readouts over the steps">
            <a className="btn small" href={api.exportUrl(run.id, "histories")} download="histories.csv">
              CSV
            </a>
          </Row>
          <Row says="All frames with their times, in SI">
            <a
              className="btn small"
              title="VTK XML, zipped, with a collection of times"
              href={api.framesUrl(run.id, "vtk")}
              download="frames.zip"
            >
              VTK
            </a>
            <a
              className="btn small"
              title="VTKHDF, one HDF5 file"
              href={api.framesUrl(run.id, "hdf")}
              download="frames.vtkhdf"
            >
              VTKHDF
            </a>
            <a
              className="btn small"
              title="Zarr version 3, zipped"
              href={api.framesUrl(run.id, "zarr")}
              download="frames.zarr.zip"
            >
              Zarr
            </a>
          </Row>
          <p className="border-t border-hair pt-1.5 text-ink3">Read them in Python:</p>
          <pre
            className="scroll mt-1 max-h-[110px] border border-hair bg-well p-1.5 font-mono text-[11px] leading-[1.4]"
            data-testid="snippet"
          >
            {SNIPPET}
          </pre>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function ThisFrame({ run }: { run: string }) {
  return (
    <Row says="This frame, a row per open cell">
      <a
        className="btn small"
        href={api.exportUrl(run, "field", { frame: useFrame().id })}
        download="field.csv"
      >
        CSV
      </a>
    </Row>
  );
}

function Row({ says, children }: { says: string; children: React.ReactNode }) {
  return (
    <div className="flex items-center gap-1.5 py-1">
      <span className="mr-auto">{says}</span>
      {children}
    </div>
  );
}

const SNIPPET = `import zarr  # frames.zarr.zip
run = zarr.open_group("frames.zarr.zip", mode="r")
print(run["time"][:], list(run.array_keys()))

import h5py  # frames.vtkhdf
with h5py.File("frames.vtkhdf") as file:
    root = file["VTKHDF"]
    print(root["Steps/Values"][:], list(root["CellData"]))

import meshio  # a frame of frames.zip
print(meshio.read("frame_00000.vtu"))`;
