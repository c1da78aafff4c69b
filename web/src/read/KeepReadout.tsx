import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../client";
import { idOf } from "../drawing/naming";
import { told } from "../set/TypedInput";
import { patchAt } from "../set/useCase";
import { useReading } from "./reading";
import { store, useSeen } from "./useField";

/** Writes into the case on the shelf, and reads the frames anew with it. */
export function useCaseEdit() {
  const { run } = useSeen();
  const queries = useQueryClient();
  return async (patch: Record<string, unknown>, label: string, fields: string[] = []) => {
    await api.edit(run.case, patch, label);
    store.drop((key) => fields.some((name) => key.split("/").includes(encodeURIComponent(name))));
    await Promise.all(
      [["case", run.case], ["cases"], ["frames"], ["thumb"], ["profile"], ["probe"], ["box"]].map(
        (queryKey) => queries.invalidateQueries({ queryKey }),
      ),
    );
  };
}

/** What an instrument tells becomes a readout of the case; this run's frames tell its history. */
export function KeepReadout({
  readout,
  label,
  short = false,
}: {
  readout: Record<string, unknown>;
  label: string;
  short?: boolean;
}) {
  const { frames } = useSeen();
  const change = useReading((s) => s.change);
  const edit = useCaseEdit();
  const [fault, setFault] = useState("");
  const keep = async () => {
    const base = idOf(label).slice(0, 40) || "read";
    let name = /^[a-z]/.test(base) ? base : `read_${base}`;
    for (let k = 2; frames.readouts[name]; k++) name = `${base}_${k}`;
    try {
      await edit(patchAt(["readouts", name], { ...readout, label }), `readout ${label}`);
      change({ history: name, tab: "history" });
    } catch (e) {
      setFault(told(e));
    }
  };
  return (
    <button
      type="button"
      className={`btn small ${fault ? "!border-copperfill" : "quiet"}`}
      title={fault || `Ask for "${label}" in this case from now on`}
      onClick={() => void keep()}
    >
      {fault ? "Not kept" : short ? "Keep" : "Keep as readout"}
    </button>
  );
}
