import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { api } from "../client";
import type { CaseView, Finding } from "../client/views";
import { save } from "../drawing/export";
import { anchorOf, type Fit, isThin } from "../drawing/fit";
import { Foot } from "../parts/Bar";
import { Choose } from "../parts/Choose";
import { Divider } from "../parts/Divider";
import { Faults } from "../parts/Faults";
import { useKeys } from "../parts/keys";
import { useView } from "../state";
import { AuditPlate } from "./Audit";
import { Board, InUse } from "./Board";
import { type Size, SizeField } from "./Dimensions";
import { type Does, Drawing, type Tool } from "./Drawing";
import { DrawingBar, TOOLS } from "./DrawingBar";
import { EditorCard } from "./EditorCard";
import { type Box, FillCard, StartPicture, useStart } from "./Filling";
import { Import } from "./Import";
import { balloonOf, Ledger } from "./Ledger";
import { LowerPlate } from "./Panels";
import { type Picked, usePicking, withMore } from "./picking";
import { Sheet } from "./Sheet";
import { TastePicture, TasteStrip } from "./TastePicture";
import { type OpenCase, useCase } from "./useCase";
import { useTaste } from "./useTaste";
import { VariantStrip } from "./VariantStrip";

export function SetScreen({ id }: { id: string }) {
  const { go, variant, setVariant, plates, lay, setBoard } = useView();
  const open = useCase(id, variant);
  const runs = useQuery({ queryKey: ["runs", id], queryFn: () => api.runs(id) });
  const [card, setCard] = useState(false);
  const [grid, setGrid] = useState(false);
  const [dimensions, setDimensions] = useState(true);
  const [stretch, setStretched] = useState<boolean | null>(null);
  const [size, setSize] = useState<Size | null>(null);
  const [tool, setTool] = useState<Tool>("places");
  const [does, setDoes] = useState<Does>("cut");
  const [part, setPart] = useState<string | null>(null);
  const [filling, setFilling] = useState<Box | null>(null);
  const [firing, setFiring] = useState(false);
  const [refused, setRefused] = useState<unknown>(null);
  const view = open.view;
  const stretched = stretch ?? (!!view && isThin(view.sheet.drawn));
  const { tasting: follows, setTasting } = useView();
  const tasting = useTaste(view, follows);
  const [tasted, setTasted] = useState("");
  const pick = usePicking((s) => s.pick);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another case begins with nothing picked
  useEffect(() => () => pick(null), [id]);
  const startColumn = usePicking((s) =>
    s.picked?.on === "start" && view ? shownAtStart(view, s.picked) : null,
  );
  const start = useStart(view, startColumn);
  const edit = useCallback(
    (p: Picked) => {
      pick(p);
      setCard(true);
    },
    [pick],
  );
  const onPick = useCallback(
    (p: Picked, more: boolean) => edit(more ? withMore(usePicking.getState().picked, p) : p),
    [edit],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: what it calls only sets this screen's own state
  useEffect(() => {
    const toPlace = (e: Event) => {
      const { place, column } = (e as CustomEvent<{ place: string; column: string | null }>).detail;
      const row = view?.ledger.rows.find(
        (r) => r.place === place && (!column || r.cells[column]?.state !== "absent"),
      );
      if (!row) return;
      e.preventDefault(); // taken
      edit({ place, on: row.on, column });
    };
    const toPart = (e: Event) => {
      if (!view) return;
      e.preventDefault();
      setPart((e as CustomEvent<string>).detail);
      setTool("parts");
    };
    addEventListener("pick-place", toPlace);
    addEventListener("pick-part", toPart);
    return () => {
      removeEventListener("pick-place", toPlace);
      removeEventListener("pick-part", toPart);
    };
  }, [view]);
  const fire = async () => {
    if (!view?.can_run) return;
    setFiring(true);
    try {
      const run = await api.fire(id, variant);
      go({ screen: "fire", runId: run.id });
    } catch (e) {
      setRefused(e);
    }
    setFiring(false);
  };
  const draw = (t: Tool) => {
    setTool(t);
    setCard(false);
    setSize(null);
  };
  const toPlace = (f: Finding) => {
    const row = view?.ledger.rows.find((r) => r.place === f.place && r.cells[f.column]?.state !== "absent");
    if (row) edit({ place: f.place, on: row.on, column: f.column || null });
  };
  useKeys({
    s: () => setStretched((v) => !v),
    g: () => setGrid((v) => !v),
    d: () => setDimensions((v) => !v),
    t: () => tasting.now(),
    b: () => setBoard(true),
    w: () => lay({ whole: !plates.whole }),
    Escape: () => (card ? setCard(false) : tasting.clear()),
    "ctrl+z": () => void open.undo(),
    "ctrl+shift+z": () => void open.redo(),
    "ctrl+y": () => void open.redo(),
    "ctrl+Enter": () => void fire(),
    ...Object.fromEntries(TOOLS.map(([t, , key]) => [key.toLowerCase(), () => draw(t)])),
    n: () => {
      const next = view?.audit.find((f) => f.place);
      if (next) toPlace(next);
    },
  });
  useEffect(() => {
    if (view && view.variant !== variant) setVariant(view.variant);
  }, [view, variant, setVariant]);
  if (!view)
    return (
      <main className="flex-1 p-4">
        {open.error ? (
          <>
            <Faults error={open.error} />
            {variant && (
              <button type="button" className="btn" onClick={() => setVariant("")}>
                Back to the base
              </button>
            )}
          </>
        ) : (
          "Reading the case"
        )}
      </main>
    );
  const field = tasting.taste?.fields.includes(tasted) ? tasted : (tasting.taste?.chief ?? "");
  return (
    <>
      <main className="flex min-h-0 flex-1 px-2.5 pb-1 pt-[9px]">
        <section className="plate" aria-label="Drawing sheet" style={{ flex: `${1 - plates.right} 1 0` }}>
          <div className="flex h-[31px] flex-none items-center gap-1 border-b border-hair px-2">
            <button
              type="button"
              className={`btn small ${grid ? "on" : "quiet"}`}
              aria-pressed={grid}
              onClick={() => setGrid(!grid)}
            >
              Grid <kbd>G</kbd>
            </button>
            <button
              type="button"
              className={`btn small ${dimensions ? "on" : "quiet"}`}
              aria-pressed={dimensions}
              onClick={() => setDimensions(!dimensions)}
            >
              Dimensions <kbd>D</kbd>
            </button>
            <button
              type="button"
              className={`btn small ${stretched ? "on" : "quiet"}`}
              aria-pressed={stretched}
              title="Fill the sheet with a scale of its own for each axis"
              onClick={() => setStretched(!stretched)}
            >
              Stretch <kbd>S</kbd>
            </button>
            <span className="flex items-center">
              <button
                type="button"
                className="btn small quiet"
                disabled={!view.can_run}
                title="A coarse solve of the case as it stands, three seconds at most"
                onClick={tasting.now}
              >
                Taste <kbd>T</kbd>
              </button>
              <label
                className="flex items-center gap-1 text-[11.5px] text-ink2"
                title="Taste after every pause in editing"
              >
                <input
                  type="checkbox"
                  checked={follows}
                  onChange={(e) => setTasting(e.target.checked)}
                  aria-label="Taste after edits"
                />
                auto
              </label>
            </span>
            <span className="mx-1 h-4 w-px bg-hair" />
            <button
              type="button"
              className="btn small quiet"
              disabled={!view.journal.undo}
              title={view.journal.undo ?? ""}
              onClick={() => void open.undo()}
            >
              Undo
            </button>
            <button
              type="button"
              className="btn small quiet"
              disabled={!view.journal.redo}
              title={view.journal.redo ?? ""}
              onClick={() => void open.redo()}
            >
              Redo
            </button>
            <span className="ml-2 truncate text-[11.5px] text-ink3">
              {view.journal.undo ? `last change: ${view.journal.undo}` : "nothing changed yet"}
            </span>
          </div>
          <VariantStrip view={view} open={open} onVariant={setVariant}>
            <Import view={view} open={open} onError={setRefused} />
            <Choose
              className="in w-[92px]"
              label="Save the sheet as"
              value=""
              onChoose={(to) => {
                const svg = document.querySelector<SVGSVGElement>("svg.dwg");
                if (svg && to) void save(svg, to as "svg" | "png" | "pdf", view.name);
              }}
              placeholder="Save sheet"
              options={[
                { value: "svg", label: "as SVG" },
                { value: "png", label: "as PNG" },
                { value: "pdf", label: "as PDF" },
              ]}
            />
            <a
              className="btn small quiet"
              href={api.fileUrl(id)}
              download={`${view.name.toLowerCase().replace(/\W+/g, "-")}.json`}
            >
              Case file
            </a>
          </VariantStrip>
          <DrawingBar
            view={view}
            open={open}
            tool={tool}
            does={does}
            part={part}
            onTool={draw}
            onDoes={setDoes}
          />
          <Faults
            error={refused ?? open.error}
            onClose={() => {
              setRefused(null);
              open.clear();
            }}
          />
          <TasteStrip view={view} tasting={tasting} name={field} onName={setTasted} />
          <Sheet
            view={view}
            part={part}
            shaping={tool === "parts" && !!part}
            stretched={stretched}
            showGrid={grid}
            showDimensions={dimensions}
            onPick={onPick}
            onSize={setSize}
            under={
              !startColumn && tasting.taste?.fields.length
                ? (f) => <TastePicture view={view} tasting={tasting} name={field} f={f} />
                : start
                  ? (f) => <StartPicture view={view} field={start} asked={!!startColumn} f={f} />
                  : null
            }
            drawing={(f) => (
              <Drawing
                view={view}
                f={f}
                onFill={(low, high) => {
                  setCard(false);
                  setFilling({ low, high });
                }}
                tool={tool}
                does={does}
                part={part}
                onPart={setPart}
                onTool={draw}
                onPatch={(patch, label) => void open.edit(patch, label)}
              />
            )}
            card={(f) =>
              filling ? (
                <Filled
                  view={view}
                  open={open}
                  box={filling}
                  f={f}
                  onDone={(column) => {
                    setFilling(null);
                    draw("places");
                    if (column) pick({ place: "space", on: "start", column });
                  }}
                />
              ) : size ? (
                <SizeField
                  key={size.path.join() + String(size.index)}
                  view={view}
                  open={open}
                  size={size}
                  onClose={() => setSize(null)}
                />
              ) : (
                card && <PlaceCard view={view} open={open} f={f} onClose={() => setCard(false)} />
              )
            }
          />
        </section>
        <Divider
          axis="x"
          label="Between the sheet and the plates beside it"
          share={plates.right}
          first={0.43}
          onShare={(right) => lay({ right })}
        />
        <div className="flex min-h-0 min-w-0 flex-col gap-2" style={{ flex: `${plates.right} 1 0` }}>
          <InUse view={view} />
          <div className="flex min-h-0 flex-1 flex-col">
            {!plates.whole && (
              <>
                <div className="flex min-h-0 flex-col gap-2" style={{ flex: `${1 - plates.lower} 1 0` }}>
                  <Ledger view={view} open={open} onOpen={edit} />
                  <AuditPlate
                    view={view}
                    open={open}
                    onPlace={toPlace}
                    onFire={() => void fire()}
                    firing={firing}
                  />
                </div>
                <Divider
                  axis="y"
                  label="Between the ledger and the plate below"
                  share={plates.lower}
                  first={0.36}
                  onShare={(lower) => lay({ lower })}
                />
              </>
            )}
            <LowerPlate
              view={view}
              open={open}
              taste={tasting.taste}
              lastRun={runs.data?.find((r) => r.status === "finished" && r.variant === variant)}
              part={part}
              onPart={(p) => {
                setPart(p);
                if (tool === "places") setTool("parts");
              }}
              onPlace={(place, on, column) => edit({ place, on, column })}
            />
          </div>
        </div>
      </main>
      <Board view={view} open={open} />
      <Foot
        keys={[
          ["1 – 4", "places"],
          ["N", "next to settle"],
          ["Enter", "edit the place"],
          ["G", "grid"],
          ["T", "taste"],
          ["B", "board"],
          ["W", "lower plate over all"],
          ["K", "side sums"],
          ["Ctrl Z", "undo"],
        ]}
        right={["Ctrl Enter", "fire"]}
      />
    </>
  );
}

/** The column whose start is painted on the sheet, where it has one. */
function shownAtStart(view: CaseView, picked: Picked): string | null {
  const row = view.ledger.rows.find((r) => r.place === picked.place && r.on === "start");
  const column = picked.column ?? "";
  return row?.cells[column] && row.cells[column].state !== "absent" ? column : null;
}

/** The card of what is picked. */
function PlaceCard({
  view,
  open,
  f,
  onClose,
}: {
  view: CaseView;
  open: OpenCase;
  f: Fit;
  onClose: () => void;
}) {
  const picked = usePicking((s) => s.picked);
  const row = picked && view.ledger.rows.find((r) => r.place === picked.place && r.on === picked.on);
  if (!row) return null;
  const edge = view.sheet.edges[row.place];
  const [x0, , x1] = view.sheet.box;
  return (
    <EditorCard
      open={open}
      view={view}
      row={row}
      also={view.ledger.rows.filter((r) => r.on === row.on && picked.also?.includes(r.place))}
      number={balloonOf(view, row)}
      side={edge && anchorOf(edge.segments, f).x > f.X((x0 + x1) / 2) ? "left" : "right"}
      column={picked.column}
      onClose={onClose}
    />
  );
}

/** A box to be filled, with the column that is picked first. */
function Filled(rest: Omit<Parameters<typeof FillCard>[0], "column">) {
  const column = usePicking((s) => s.picked?.column ?? null);
  return <FillCard {...rest} column={column} />;
}
