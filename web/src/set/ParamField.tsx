import { Popover } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { api, Refusal } from "../client";
import type { CaseView, ColumnView, ConditionView, Curve, ParamView } from "../client/views";
import { made, rowsOf, type Shape, textOf, WAVES, type Wave } from "../drawing/waves";
import { Choose, named } from "../parts/Choose";
import { Spark } from "./Spark";
import { capital, told, typedText, typedValue } from "./TypedInput";

interface Table {
  table: unknown[][];
}
const isTable = (value: unknown): value is Table =>
  typeof value === "object" && value !== null && "table" in value;

/** One declared value: a number, a formula or a table in time, and below it what was understood. */
export function ParamField({
  view,
  column,
  place,
  condition,
  param,
  value,
  focus,
  onChange,
}: {
  view: CaseView;
  column: ColumnView;
  place: string;
  condition: ConditionView;
  param: ParamView;
  value: unknown;
  focus: boolean;
  onChange: (value: unknown) => void;
}) {
  const [hint, setHint] = useState<{ text: string; bad: boolean; curve: Curve | null }>({
    text: "",
    bad: false,
    curve: null,
  });
  const asked = JSON.stringify(value ?? null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the value counts by what it says
  useEffect(() => {
    if (value === null || value === undefined || param.kind === "choice")
      return setHint({ text: "", bad: false, curve: null });
    const wait = setTimeout(async () => {
      try {
        const told = await api.understand(view.id, {
          phenomenon: column.phenomenon,
          on: condition.on,
          kind: condition.name,
          param: param.name,
          text: JSON.parse(asked),
          variant: view.variant,
          place,
        });
        setHint({ ...told, bad: false });
      } catch (e) {
        setHint({ text: e instanceof Refusal ? told(e) : "", bad: true, curve: null });
      }
    }, 150);
    return () => clearTimeout(wait);
    // `asked` stands for the value
  }, [asked, param, view.id, view.variant, column.phenomenon, condition, place]);
  const id = `${column.id}-${param.name}`,
    text = typedText(value);
  const field = useRef<HTMLInputElement>(null);
  // the list that brought this field up gives the cursor back first
  useEffect(() => {
    const frame = focus && requestAnimationFrame(() => field.current?.focus());
    return () => {
      if (frame) cancelAnimationFrame(frame);
    };
  }, [focus]);
  const [typed, setTyped] = useState(text);
  // what is being typed may end with a space; another value from elsewhere replaces it
  const shown = typedText(typedValue(typed)) === text ? typed : text;
  const either = condition.one_of.includes(param.name);
  if (param.kind === "choice") {
    return (
      <div className="fld">
        <label htmlFor={id}>{capital(param.label)}</label>
        <Choose
          id={id}
          className="in"
          value={text || String(param.default ?? "")}
          onChoose={(to) => onChange(to)}
          options={named(param.choices)}
        />
        <div className="hint">{text ? "" : capital(param.why)}</div>
      </div>
    );
  }
  return (
    <div className="fld">
      <label htmlFor={id}>{capital(param.label)}</label>
      {isTable(value) ? (
        <Rows id={id} table={value} unit={param.unit} bad={hint.bad} onChange={onChange} />
      ) : (
        <div className="flex gap-1">
          <input
            id={id}
            className={`in ${hint.bad ? "bad" : ""}`}
            value={shown}
            spellCheck={false}
            autoComplete="off"
            ref={field}
            placeholder={
              param.default !== null
                ? `${String(param.default)}, assumed`
                : either
                  ? `or this, ${param.unit}`
                  : param.unit
            }
            onChange={(e) => {
              setTyped(e.target.value);
              onChange(typedValue(e.target.value));
            }}
          />
          {param.kind === "formula" && (
            <Maker param={param} start={text} onMade={(rows) => onChange({ table: rows })} />
          )}
        </div>
      )}
      <div className={`hint ${hint.bad ? "bad" : ""}`}>
        {hint.text || (text ? "" : param.default !== null ? capital(param.why) : "")}
      </div>
      {hint.curve && <Spark curve={hint.curve} label={param.label} />}
    </div>
  );
}

/** Rows of a table in time, as pasted or typed. */
function Rows({
  id,
  table,
  unit,
  bad,
  onChange,
}: {
  id: string;
  table: Table;
  unit: string;
  bad: boolean;
  onChange: (value: unknown) => void;
}) {
  const [text, setText] = useState(textOf(table.table));
  const asked = JSON.stringify(table.table);
  useEffect(() => {
    setText((now) =>
      JSON.stringify(rowsOf(now, unit)) === asked ? now : textOf(JSON.parse(asked) as unknown[][]),
    );
  }, [asked, unit]);
  return (
    <div>
      <textarea
        id={id}
        className={`in h-auto resize-y py-1 leading-[1.35] ${bad ? "bad" : ""}`}
        rows={Math.min(6, Math.max(3, table.table.length))}
        spellCheck={false}
        value={text}
        aria-description="A time and a value in each row"
        onChange={(e) => {
          setText(e.target.value);
          onChange({ table: rowsOf(e.target.value, unit) });
        }}
      />
      <button type="button" className="btn quiet small" onClick={() => onChange(table.table[0]?.[1] ?? null)}>
        One value instead
      </button>
    </div>
  );
}

/** Makes a table in time: from rows, or from a common shape. */
function Maker({
  param,
  start,
  onMade,
}: {
  param: ParamView;
  start: string;
  onMade: (rows: unknown[][]) => void;
}) {
  const number = Number.parseFloat(start),
    unit = (/^-?[\d.]+\s*(.+)$/.exec(start)?.[1] ?? param.unit).trim();
  const resting = param.dimension === "temperature" && Number.isFinite(number) ? number : 0;
  const [shape, setShape] = useState<Shape>({
    wave: "ramp",
    low: resting,
    high: Number.isFinite(number) ? number : 1,
    begin: 0,
    period: 10,
    times: 3,
    unit,
  });
  const field = (label: string, key: "low" | "high" | "begin" | "period" | "times", after: string) => (
    <label className="flex items-center justify-between gap-2 text-[12px] text-ink2">
      {label}
      <span className="flex items-center gap-1">
        <input
          className="in w-[76px]"
          inputMode="decimal"
          defaultValue={shape[key]}
          onChange={(e) => setShape({ ...shape, [key]: Number(e.target.value) })}
        />
        <span className="w-[34px] truncate text-[11px] text-ink3">{after}</span>
      </span>
    </label>
  );
  const good =
    [shape.low, shape.high, shape.begin].every(Number.isFinite) &&
    shape.period > 0 &&
    shape.begin >= 0 &&
    shape.times >= 1 &&
    shape.times <= 200;
  return (
    <Popover.Root
      onOpenChange={(open) =>
        open && setShape({ ...shape, unit, high: Number.isFinite(number) ? number : shape.high })
      }
    >
      <Popover.Trigger asChild>
        <button
          type="button"
          className="btn small flex-none"
          title="Let it change with time"
          aria-label={`${param.label}: table in time`}
        >
          <svg width="13" height="10" aria-hidden="true">
            <path d="M1 9L5 9L8 2L12 2" fill="none" stroke="currentColor" strokeWidth="1.4" />
          </svg>
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="plate z-20 flex w-[230px] flex-col gap-1.5 p-2.5"
          sideOffset={6}
          align="end"
        >
          <div className="flex flex-wrap gap-1">
            {WAVES.map((w: Wave) => (
              <button
                type="button"
                key={w}
                className={`btn small ${shape.wave === w ? "on" : "quiet"}`}
                aria-pressed={shape.wave === w}
                onClick={() => setShape({ ...shape, wave: w })}
              >
                {w}
              </button>
            ))}
          </div>
          {field("Low", "low", shape.unit)}
          {field("High", "high", shape.unit)}
          {field("Begins at", "begin", "s")}
          {field(shape.wave === "ramp" ? "Takes" : "Period", "period", "s")}
          {shape.wave !== "ramp" && field("How often", "times", "times")}
          <div className="flex justify-between gap-1">
            <Popover.Close asChild>
              <button
                type="button"
                className="btn small"
                title="A table of two rows to paste over"
                onClick={() =>
                  onMade([
                    ["0 s", start || `0 ${shape.unit}`],
                    ["10 s", start || `1 ${shape.unit}`],
                  ])
                }
              >
                Rows to fill
              </button>
            </Popover.Close>
            <Popover.Close asChild>
              <button
                type="button"
                className="btn primary small"
                disabled={!good}
                onClick={() => onMade(made(shape))}
              >
                Make it
              </button>
            </Popover.Close>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
