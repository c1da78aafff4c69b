import { Popover } from "radix-ui";
import { useState } from "react";
import type { PictureView } from "../client/views";
import { WHOLE } from "../drawing/fit";
import { idOf } from "../drawing/naming";
import { told } from "../set/TypedInput";
import { patchAt } from "../set/useCase";
import { useCaseEdit } from "./KeepReadout";
import { frameOf, NOTHING, OF_CASE, pictureOf, stretches, tileOf } from "./kept";
import { useReading, useReadingOf } from "./reading";
import { useSeen } from "./useField";

const plain = (name: string) => name.replace(/_/g, " ");

/** What is seen becomes the picture of the case by one click; others are kept beside it under names. */
export function PictureOfCase() {
  const { frames } = useSeen();
  const edit = useCaseEdit();
  const [says, setSays] = useState<{ words: string; bad: boolean } | null>(null);
  const [name, setName] = useState("");
  const { stretched, locked } = useReadingOf("stretched", "locked");
  const pictures = Object.entries(frames.pictures);
  const attempt = async (act: Promise<void>, words: string) => {
    try {
      await act;
      setSays({ words, bad: false });
      setTimeout(() => setSays(null), 2500);
    } catch (e) {
      setSays({ words: told(e), bad: true });
    }
  };
  const keep = (as: string, words: string) => {
    const { tiles, active, at } = useReading.getState();
    const tile = tiles.find((t) => t.id === active)!;
    const long = stretches(null, frames);
    const entry = pictureOf(tile, at, locked[tile.name] ?? tile.kept, stretched, long, frames);
    void attempt(edit(patchAt(["pictures", as], { ...NOTHING, ...entry }), words), "Kept");
  };
  const see = (p: PictureView) => {
    const { active, tiles, change } = useReading.getState();
    change({
      tiles: tiles.map((t) => (t.id === active ? tileOf(p, t.id) : t)),
      at: frameOf(p, frames.frames),
      playing: false,
      zoom: WHOLE,
      stretched: stretches(p, frames),
    });
  };
  const id = idOf(name);
  return (
    <span className="flex">
      <button
        type="button"
        className={`btn small !rounded-r-none !border-r-0 ${says?.bad ? "!border-copperfill" : ""}`}
        title={
          says?.bad
            ? says.words
            : "Field, frame, scale, layers and stretch as they are now, on the card of this case and when it is read again"
        }
        onClick={() => keep(OF_CASE, "picture of this case")}
      >
        {says ? (says.bad ? "Not kept" : says.words) : "Picture of this case"}
      </button>
      <Popover.Root>
        <Popover.Trigger className="btn small !rounded-l-none !px-1.5" aria-label="Kept pictures">
          {pictures.length}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={4}
            className="z-20 w-[340px] rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-2.5 text-[12.5px] shadow-lg"
            aria-label="Kept pictures"
          >
            <p className="cap pb-1">Kept with this case</p>
            {pictures.map(([n, p]) => (
              <div key={n} className="flex h-[27px] items-center gap-2 border-b border-hair2">
                <b className="truncate font-medium">{n === OF_CASE ? "of this case" : plain(n)}</b>
                <span className="truncate text-ink3">{`${p.label}${p.layers.length ? `, ${p.layers.length === 1 ? "1 layer" : `${p.layers.length} layers`}` : ""}`}</span>
                <span className="ml-auto flex flex-none">
                  <button type="button" className="btn quiet small" onClick={() => see(p)}>
                    Show
                  </button>
                  <button
                    type="button"
                    className="btn quiet small"
                    onClick={() =>
                      void attempt(
                        edit(patchAt(["pictures", n], null), `drop picture ${plain(n)}`),
                        "Dropped",
                      )
                    }
                  >
                    Drop
                  </button>
                </span>
              </div>
            ))}
            {pictures.length === 0 && <p className="text-ink3">None yet.</p>}
            <form
              className="mt-2 flex items-center gap-1.5"
              onSubmit={(e) => {
                e.preventDefault();
                if (id) keep(id, `picture ${name.trim()}`);
                setName("");
              }}
            >
              <input
                className="in min-w-0 flex-1"
                aria-label="Name of the kept picture"
                placeholder="another one, by its name"
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
              <button type="submit" className="btn small" disabled={!id}>
                Keep it
              </button>
            </form>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}
