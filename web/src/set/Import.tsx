import { Dialog } from "radix-ui";
import { useRef, useState } from "react";
import { api } from "../client";
import type { CaseView, Outlines } from "../client/views";
import { show } from "../drawing/number";
import { type OpenCase, patchAt } from "./useCase";

/** Outlines out of a drawing; asks for the unit when the file has none. */
export function Import({
  view,
  open,
  onError,
}: {
  view: CaseView;
  open: OpenCase;
  onError: (error: unknown) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const [asked, setAsked] = useState<{ file: File; found: Outlines } | null>(null);
  const [replace, setReplace] = useState(true);
  const read = async (file: File, unit = "") => {
    try {
      const found = await api.outlines(file, unit);
      if (!found.parts || !unit) return setAsked({ file, found });
      await take(found, file.name);
    } catch (e) {
      setAsked(null);
      onError(e);
    }
  };
  const take = async (found: Outlines, name: string) => {
    setAsked(null);
    const old = view.data.vessel.parts,
      parts: Record<string, unknown> = {};
    if (replace) for (const n of Object.keys(old)) parts[n] = null;
    for (const [n, p] of Object.entries(found.parts!)) {
      let free = n,
        k = 2;
      while ((free in parts && parts[free] !== null) || (!replace && free in old)) free = `${n}${k++}`;
      parts[free] = p;
    }
    const nozzles = replace
      ? Object.fromEntries(Object.keys(view.data.vessel.nozzles ?? {}).map((n) => [n, null]))
      : {};
    try {
      await open.tryEdit(patchAt(["vessel"], { parts, nozzles }), `outline from ${name}`);
    } catch (e) {
      onError(e);
    }
  };
  const known = asked?.found.metres_per_unit ?? null;
  return (
    <>
      <button
        type="button"
        className="btn small quiet"
        title="DXF, SVG, GeoJSON, WKT, points in CSV, or the boundary of a plane mesh in VTK"
        onClick={() => input.current?.click()}
      >
        Import
      </button>
      <input
        ref={input}
        type="file"
        accept=".dxf,.svg,.geojson,.json,.wkt,.csv,.txt,.vtu,.vtk"
        className="hidden"
        aria-label="Outline file"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) void read(file);
        }}
      />
      <Dialog.Root open={!!asked} onOpenChange={(o) => !o && setAsked(null)}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed left-1/2 top-28 z-30 w-[420px] -translate-x-1/2 rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-4"
          >
            <Dialog.Title className="cap mb-2 text-[13px] text-soot">
              Outline from {asked?.file.name}
            </Dialog.Title>
            {asked && (
              <div className="flex flex-col gap-2.5 text-[13px]">
                <p>{`${asked.found.outlines} closed ${asked.found.outlines === 1 ? "line" : "lines"}, ${show(asked.found.size[0], 4)} x ${show(asked.found.size[1], 4)} in the drawing's own unit.`}</p>
                <label className="flex items-center gap-2">
                  <input type="checkbox" checked={replace} onChange={(e) => setReplace(e.target.checked)} />
                  Replace what is drawn now
                </label>
                {known !== null ? (
                  <button
                    type="button"
                    className="btn primary self-start"
                    onClick={() => void read(asked.file, "mm")}
                  >{`Take it: ${show(asked.found.size[0] * known * 1e3, 4)} x ${show(asked.found.size[1] * known * 1e3, 4)} mm`}</button>
                ) : (
                  <>
                    <p className="text-ink2">The file does not say its unit. Which size is right?</p>
                    <div className="flex flex-wrap gap-1.5">
                      {Object.entries(asked.found.units).map(([u, metres]) => (
                        <button
                          type="button"
                          key={u}
                          className="btn"
                          onClick={() => void read(asked.file, u)}
                        >{`${u}: ${show(asked.found.size[0] * metres * 1e3, 3)} x ${show(asked.found.size[1] * metres * 1e3, 3)} mm`}</button>
                      ))}
                    </div>
                  </>
                )}
              </div>
            )}
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </>
  );
}
