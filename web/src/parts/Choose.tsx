import { Select } from "radix-ui";
import { useState } from "react";

/** One thing that may be chosen; those of one group stand below its heading. */
export interface Option {
  value: string;
  label: string;
  note?: string;
  group?: string;
}

/** What may be chosen, from plain names: names are shown with spaces. */
export const named = (names: readonly string[]): Option[] =>
  names.map((n) => ({ value: n, label: n.replace(/_/g, " ") }));

// the library keeps "" for "nothing is chosen yet"
const inner = (value: string) => `=${value}`;
const outer = (value: string) => value.slice(1);

/** Whether what was chosen has brought up a field that has the cursor now. */
const isElsewhere = () => document.activeElement instanceof HTMLInputElement;

/** One of a few, by pointer, arrows or the first letters. The list is made when it may be needed. */
export function Choose({
  id,
  label,
  value,
  options,
  bad,
  className,
  placeholder,
  title,
  autoFocus,
  toolbar,
  onChoose,
}: {
  id?: string;
  label?: string;
  value: string;
  options: readonly Option[];
  bad?: boolean;
  className?: string;
  placeholder?: string;
  title?: string;
  autoFocus?: boolean;
  toolbar?: boolean; // keys go back to the screen once something is chosen
  onChoose: (value: string) => void;
}) {
  const [warm, setWarm] = useState(false);
  const now = options.find((o) => o.value === value);
  const groups = [...new Set(options.map((o) => o.group ?? ""))];
  return (
    <Select.Root value={now ? inner(value) : ""} onValueChange={(v) => onChoose(outer(v))}>
      <Select.Trigger
        id={id}
        aria-label={label}
        title={title}
        autoFocus={autoFocus}
        data-value={value}
        className={`in choose ${bad ? "bad" : ""} ${className ?? ""}`}
        onFocus={() => setWarm(true)}
        onKeyDown={(e) => (e.ctrlKey || e.metaKey) && e.key === "Enter" && e.preventDefault()}
        onPointerEnter={() => setWarm(true)}
      >
        <span className="min-w-0 flex-1 truncate text-left leading-[1.45]">
          {now?.label ?? placeholder ?? "choose"}
        </span>
        <svg width="9" height="6" className="flex-none" aria-hidden="true">
          <path d="M1 1 4.5 4.5 8 1" fill="none" stroke="currentColor" strokeWidth="1.4" />
        </svg>
      </Select.Trigger>
      {warm && (
        <Select.Portal>
          <Select.Content
            className="choices"
            position="popper"
            sideOffset={3}
            collisionPadding={8}
            onCloseAutoFocus={(e) => (toolbar || isElsewhere()) && e.preventDefault()}
          >
            <Select.Viewport className="max-h-[min(340px,var(--radix-select-content-available-height))] p-[3px]">
              {groups.map((g) => (
                <Select.Group key={g}>
                  {g && <Select.Label className="cap px-2 pb-0.5 pt-1.5">{g}</Select.Label>}
                  {options
                    .filter((o) => (o.group ?? "") === g)
                    .map((o) => (
                      <Select.Item
                        key={o.value}
                        value={inner(o.value)}
                        textValue={o.label}
                        data-value={o.value}
                        className="choice"
                      >
                        <Select.ItemText>{o.label}</Select.ItemText>
                        {o.note && <em>{o.note}</em>}
                      </Select.Item>
                    ))}
                </Select.Group>
              ))}
            </Select.Viewport>
          </Select.Content>
        </Select.Portal>
      )}
    </Select.Root>
  );
}
