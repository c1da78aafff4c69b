import { Refusal } from "../client";

/** What the server refused, in its own sentences. */
export function Faults({ error, onClose }: { error: unknown; onClose?: () => void }) {
  if (!error) return null;
  const lines =
    error instanceof Refusal && error.faults.length
      ? error.faults.map((f) => f.text)
      : [error instanceof Error ? error.message : String(error)];
  return (
    <div
      role="alert"
      className="flex gap-2 border-l-4 border-copperfill bg-copperwash px-3 py-1.5 text-[12.5px]"
    >
      <div className="min-w-0 flex-1">
        {lines.map((line) => (
          <p key={line}>{line}</p>
        ))}
      </div>
      {onClose && (
        <button type="button" className="btn quiet small" onClick={onClose}>
          Close
        </button>
      )}
    </div>
  );
}
