import { useQuery } from "@tanstack/react-query";
import { api } from "../client";
import type { CaseView } from "../client/views";
import { CurvePicture } from "../sums/CurvePicture";

/** What is made of a setting, to be looked at before the run: a line over points, and what is left. */
export function MadeOf({ view, at, value }: { view: CaseView; at: string; value: unknown }) {
  const told = useQuery({
    queryKey: ["shown", view.id, view.variant, at, view.data.phenomena, view.parameters, value],
    queryFn: () => api.shown(view.id, at, view.variant),
    retry: false,
    placeholderData: (last) => last,
  });
  if (!told.data) return null;
  const { curve, off, says, fault } = told.data;
  if (fault) return <p className="hint bad px-2.5">{fault}</p>;
  if (!curve) return null;
  return (
    <div className="flex flex-col gap-1 px-2.5 pb-2" data-testid="made-of">
      <CurvePicture curve={curve} />
      {off && <CurvePicture curve={off} low />}
      {says.map((line) => (
        <p key={line} className="text-[12px] leading-snug text-ink2">
          {line}
        </p>
      ))}
    </div>
  );
}
