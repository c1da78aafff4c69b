import { useState } from "react";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { useReading, useReadingOf } from "./reading";
import { useSeen } from "./useField";

/** A photograph laid on the sheet at its size; it stays on this machine. */
export function PhotoFields() {
  const { photo, change } = useReadingOf("photo", "change");
  const { view } = useSeen();
  const [fault, setFault] = useState("");
  const take = (file: File | undefined) => {
    if (!file) return;
    const url = URL.createObjectURL(file),
      image = new Image();
    image.onload = () => {
      const [x0, y0, x1] = view.sheet.box;
      if (photo) URL.revokeObjectURL(photo.url);
      setFault("");
      change({
        photo: {
          url,
          name: file.name,
          x: x0,
          y: y0,
          width: x1 - x0,
          ratio: image.naturalHeight / image.naturalWidth,
          opacity: 0.6,
        },
      });
    };
    image.onerror = () => {
      URL.revokeObjectURL(url);
      setFault(`${file.name} is no picture that a page can show.`);
    };
    image.src = url;
  };
  const size = (key: "x" | "y" | "width", label: string) => (
    <label className="flex items-center gap-1.5">
      {label}
      <input
        className="in w-[74px] text-right"
        key={photo![key]}
        defaultValue={show(photo![key] * 1e3, 5).replace("−", "-")}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        onBlur={(e) => {
          const v = Number(e.target.value.replace(",", ".")) / 1e3;
          if (Number.isFinite(v) && (key !== "width" || v > 0)) change({ photo: { ...photo!, [key]: v } });
          else e.target.value = show(photo![key] * 1e3, 5);
        }}
      />
    </label>
  );
  return (
    <fieldset className="mt-2 border-t border-hair pt-2">
      <legend className="sr">Photograph</legend>
      <div className="flex items-center gap-2">
        <label className="btn small">
          {photo ? "Another photograph" : "Lay a photograph over"}
          <input
            type="file"
            className="sr"
            accept="image/png,image/jpeg,image/webp,image/gif"
            onChange={(e) => take(e.target.files?.[0])}
          />
        </label>
        {photo && (
          <button
            type="button"
            className="btn quiet small"
            onClick={() => {
              URL.revokeObjectURL(photo.url);
              change({ photo: null });
            }}
          >
            Take it off
          </button>
        )}
      </div>
      {fault && <p className="text-copper">{fault}</p>}
      {photo && (
        <div className="mt-1.5 flex flex-wrap items-center gap-x-2 gap-y-1.5">
          {size("x", "Left")}
          {size("y", "Bottom")}
          {size("width", "Width")}
          <span className="text-ink3">mm</span>
          <label className="flex w-full items-center gap-2">
            Shows
            <input
              type="range"
              className="ml-auto w-[130px] accent-(--copperfill)"
              min={0.05}
              max={1}
              step={0.05}
              value={photo.opacity}
              onChange={(e) => change({ photo: { ...photo, opacity: Number(e.target.value) } })}
            />
          </label>
        </div>
      )}
    </fieldset>
  );
}

export function PhotoOnSheet({ f }: { f: Fit }) {
  const photo = useReading((s) => s.photo);
  if (!photo) return null;
  const height = photo.width * photo.ratio;
  return (
    <image
      href={photo.url}
      x={f.X(photo.x)}
      y={f.Y(photo.y + height)}
      width={photo.width * f.scale}
      height={height * f.tall}
      opacity={photo.opacity}
      preserveAspectRatio="none"
      aria-label={`photograph ${photo.name}`}
    />
  );
}
