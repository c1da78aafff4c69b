import { useEffect, useId, useState } from "react";
import { Refusal } from "../client";

const LONG = 18; // signs that fit into half a panel

/** A field for a typed value. Enter or leaving keeps it; what was typed is never cleared. */
export function TypedInput({
  label,
  value,
  hint,
  placeholder,
  at,
  bare,
  onKeep,
}: {
  label: string;
  value: string;
  hint?: string;
  placeholder?: string;
  at?: string; // where in the case file it stands: it is found by that
  bare?: boolean; // in a table: its row and column are its label
  onKeep: (text: string) => Promise<void>;
}) {
  const [text, setText] = useState(value);
  const [fault, setFault] = useState("");
  const id = useId();
  useEffect(() => {
    setText(value);
    setFault("");
  }, [value]);
  const keep = async () => {
    if (text === value) return setFault("");
    try {
      await onKeep(text);
      setFault("");
    } catch (e) {
      setFault(told(e));
    }
  };
  return (
    <div
      data-at={at}
      className={bare ? "min-w-0" : `fld ${text.length > LONG ? "col-span-2" : ""}`}
      title={bare ? hint : undefined}
    >
      {!bare && <label htmlFor={id}>{label}</label>}
      <input
        id={id}
        aria-label={bare ? label : undefined}
        className={`in ${fault ? "bad" : ""}`}
        value={text}
        placeholder={placeholder}
        spellCheck={false}
        autoComplete="off"
        aria-invalid={!!fault}
        aria-describedby={`${id}-hint`}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => void keep()}
        onKeyDown={(e) => {
          if (e.key === "Enter") void keep();
          if (e.key === "Escape") {
            setText(value);
            setFault("");
            e.currentTarget.blur();
          }
        }}
      />
      {(!bare || fault) && (
        <div id={`${id}-hint`} className={`hint ${fault ? "bad" : ""}`}>
          {fault || hint}
        </div>
      )}
    </div>
  );
}

/** Why a typed value was refused, and the cure. */
export function told(e: unknown): string {
  const fault = e instanceof Refusal ? e.faults[0] : undefined;
  return fault ? `${capital(fault.says)}. ${fault.cure}` : String(e);
}

export function capital(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}

/** What a stored value looks like in a field. */
export function typedText(value: unknown): string {
  if (value === null || value === undefined) return "";
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

/** Tables are typed as JSON; everything else is text. */
export function typedValue(text: string): unknown {
  const trimmed = text.trim();
  if (trimmed === "") return null;
  if (trimmed.startsWith("{")) {
    try {
      return JSON.parse(trimmed) as unknown;
    } catch {
      return trimmed;
    }
  }
  return trimmed;
}
