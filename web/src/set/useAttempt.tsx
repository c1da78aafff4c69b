import { useState } from "react";
import { Faults } from "../parts/Faults";
import type { OpenCase, Patch } from "./useCase";

/** An edit whose refusal is shown where it was asked for. */
export function useAttempt(open: OpenCase) {
  const [error, setError] = useState<unknown>(null);
  const attempt = async (patch: Patch, label: string) => {
    try {
      await open.tryEdit(patch, label);
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  return { attempt, fault: <Faults error={error} onClose={() => setError(null)} /> };
}
