import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { api } from "../client";
import { show } from "../drawing/number";
import type { Points } from "../parts/Plot";
import { told } from "../set/TypedInput";
import { useReading, useReadingOf } from "./reading";

/** A measured table over a computed curve: its points in the curve's units, and the misfit in words. */
export function useLaid(
  over: string,
  curve: { x: number[]; y: (number | null)[]; xUnit: string; yUnit: string } | null,
): { points: Points | null; words: string; fault: string } {
  const text = useReading((s) => s.measured[over]);
  const laid = useQuery({
    queryKey: ["laid", text, curve],
    enabled: !!text && !!curve,
    retry: false,
    queryFn: () =>
      api.lay({ text: text!, x: curve!.x, y: curve!.y, x_unit: curve!.xUnit, y_unit: curve!.yUnit }),
  });
  if (!text || !curve) return { points: null, words: "", fault: "" };
  if (laid.error) return { points: null, words: "", fault: told(laid.error) };
  if (!laid.data) return { points: null, words: "", fault: "" };
  const m = laid.data.misfit,
    unit = curve.yUnit ? ` ${curve.yUnit}` : "";
  const assumed = laid.data.assumed.some(Boolean) ? "; units taken to be those of the plot" : "";
  return {
    points: { label: "measured", x: laid.data.x, y: laid.data.y },
    fault: "",
    words: `misfit ${show(m.rms, 3)}${unit} rms${m.share === null ? "" : ` (${show(100 * m.share, 3)} % of the range measured)`}, bias ${show(m.bias, 3)}, worst ${show(m.worst, 3)} at ${show(m.worst_at, 3)} ${curve.xUnit}; ${m.points} points${m.left_out ? `, ${m.left_out} outside` : ""}${assumed}`,
  };
}

/** Where a measured table is pasted or opened. */
export function MeasuredButton({ over }: { over: string }) {
  const { measured, change } = useReadingOf("measured", "change");
  const text = measured[over] ?? "";
  const put = (t: string) =>
    change({
      measured: t
        ? { ...measured, [over]: t }
        : Object.fromEntries(Object.entries(measured).filter(([k]) => k !== over)),
    });
  return (
    <Popover.Root>
      <Popover.Trigger className={`btn small ${text ? "on" : "quiet"}`}>Measured</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-20 w-[330px] rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-3 text-[12.5px] shadow-lg"
          aria-label="What was measured"
        >
          <p className="pb-1.5 text-ink2">
            Two columns, pasted or from a file. A head such as <span className="num">x [cm], p [kPa]</span>{" "}
            names units; without one they are those of the plot.
          </p>
          <textarea
            className="in !h-[120px] py-1.5 !leading-[1.35]"
            aria-label="Measured table"
            spellCheck={false}
            value={text}
            placeholder={"x [mm], value\n0, 1.2\n5, 1.6"}
            onChange={(e) => put(e.target.value)}
          />
          <div className="mt-2 flex items-center gap-2">
            <label className="btn small">
              From a file
              <input
                type="file"
                className="sr"
                accept=".csv,.txt,.tsv,.dat,text/plain,text/csv"
                onChange={(e) => void e.target.files?.[0]?.text().then(put)}
              />
            </label>
            <button type="button" className="btn quiet small" disabled={!text} onClick={() => put("")}>
              Take it off
            </button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The misfit under a plot. */
export function Misfit({ words, fault }: { words: string; fault: string }) {
  if (!words && !fault) return null;
  return (
    <p
      className={`flex-none px-2.5 pb-1 text-[11.5px] ${fault ? "text-copper" : "text-ink2"}`}
      role={fault ? "alert" : undefined}
      data-testid="misfit"
    >
      {fault || words}
    </p>
  );
}
