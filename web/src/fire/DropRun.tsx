import { useEffect, useState } from "react";

/** Takes a run away for good: asked twice. */
export function DropRun({ onDrop, disabled }: { onDrop: () => void; disabled?: boolean }) {
  const [sure, setSure] = useState(false);
  useEffect(() => {
    if (!sure) return;
    const forget = setTimeout(() => setSure(false), 4000);
    return () => clearTimeout(forget);
  }, [sure]);
  return (
    <button
      type="button"
      className={`btn small ${sure ? "!border-copperfill !text-copper" : "quiet"}`}
      disabled={disabled}
      title="Takes the run and all its frames away for good"
      onClick={() => (sure ? onDrop() : setSure(true))}
    >
      {sure ? "Really drop it" : "Drop"}
    </button>
  );
}
