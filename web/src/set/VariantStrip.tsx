import { Popover } from "radix-ui";
import { type ReactNode, useState } from "react";
import type { CaseView, Difference } from "../client/views";
import { idOf } from "../drawing/naming";
import { typedText } from "./TypedInput";
import { type OpenCase, patchAt } from "./useCase";

/** The base and its variants; of the one that is open, what differs. `children` stand at its right end. */
export function VariantStrip({
  view,
  open,
  onVariant,
  children,
}: {
  children?: ReactNode;
  view: CaseView;
  open: OpenCase;
  onVariant: (variant: string) => void;
}) {
  const [name, setName] = useState("");
  const names = Object.keys(view.variants);
  const here = view.variants[view.variant] ?? [];
  const id = idOf(name);
  const add = () => {
    void open
      .editBase(
        { variants: { [id]: view.variant ? (view.data.variants?.[view.variant] ?? {}) : {} } },
        `variant ${id}`,
      )
      .then((done) => {
        if (done) onVariant(id);
      });
    setName("");
  };
  return (
    <div
      className="flex min-h-[29px] flex-none flex-wrap items-center gap-1 border-b border-hair bg-dip px-2 py-0.5"
      role="group"
      aria-label="Variants"
    >
      <span className="cap mr-1">Variant</span>
      {["", ...names].map((v) => (
        <button
          type="button"
          key={v}
          className={`btn small ${v === view.variant ? "on" : "quiet"}`}
          aria-pressed={v === view.variant}
          onClick={() => onVariant(v)}
        >
          {v ? v.replace(/_/g, " ") : "base"}
        </button>
      ))}
      <Popover.Root>
        <Popover.Trigger asChild>
          <button type="button" className="btn small quiet" title="A variant is what differs from the base">
            Add
          </button>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            className="plate z-20 flex w-[230px] flex-col gap-1.5 p-2.5"
            sideOffset={6}
            align="start"
          >
            <label className="text-[12px] text-ink2">
              Name of the variant
              <input
                className="in mt-1"
                value={name}
                autoFocus
                onChange={(e) => setName(e.target.value)}
                placeholder="such as: narrow gap"
              />
            </label>
            <p className="text-[11.5px] text-ink3">
              {view.variant
                ? `It begins as ${view.variant.replace(/_/g, " ")} is.`
                : "It begins as the base is."}{" "}
              What you change then is kept with it.
            </p>
            <Popover.Close asChild>
              <button
                type="button"
                className="btn primary small"
                disabled={!id || names.includes(id)}
                onClick={add}
              >
                {names.includes(id) ? "There is one of that name" : "Add it"}
              </button>
            </Popover.Close>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      {view.variant && (
        <>
          <span
            role="note"
            className="ml-1 flex min-w-0 flex-wrap items-center gap-1 text-[11.5px] text-ink2"
            aria-label="What differs"
          >
            {here.length === 0 && <span className="text-ink3">nothing differs yet: change something</span>}
            {here.map((d) => (
              <span
                key={d.path.join("/")}
                className="inline-flex items-center gap-1 rounded border border-slateline bg-well px-1.5"
                title={d.path.join(" / ")}
              >
                {says(d)}
                <button
                  type="button"
                  className="cursor-pointer text-ink3"
                  aria-label={`As in the base: ${d.path.join(" ")}`}
                  onClick={() =>
                    void open.edit(patchAt(d.path, d.before), `${d.path.slice(-1)[0]} as in the base`)
                  }
                >
                  ×
                </button>
              </span>
            ))}
          </span>
          <button
            type="button"
            className="btn small quiet"
            onClick={() => {
              const v = view.variant;
              onVariant("");
              void open.editBase({ variants: { [v]: null } }, `drop variant ${v}`);
            }}
          >
            Drop variant
          </button>
        </>
      )}
      <span className="ml-auto flex flex-none items-center gap-1">{children}</span>
    </div>
  );
}

function says(d: Difference): string {
  const what = d.path
    .filter((k) => k !== "parameters")
    .slice(-2)
    .join(" ")
    .replace(/_/g, " ");
  if (d.here === null) return `${d.path.slice(-1)[0]!.replace(/_/g, " ")} left out`;
  if (typeof d.here === "object" && !("table" in (d.here as object)))
    return `${what} ${d.before === null ? "added" : "changed"}`;
  return `${what} ${d.before === null ? "" : `${typedText(d.before)} \u2192 `}${typedText(d.here)}`;
}
