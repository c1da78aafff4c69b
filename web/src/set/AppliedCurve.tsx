import { useQuery } from "@tanstack/react-query";
import { api } from "../client";
import type { CaseView, ColumnView, ConditionView } from "../client/views";
import { Spark } from "./Spark";

/** What the values of a condition together apply in time, to be looked at before the run. */
export function AppliedCurve({
  view,
  column,
  place,
  condition,
  values,
}: {
  view: CaseView;
  column: ColumnView;
  place: string;
  condition: ConditionView;
  values: Record<string, unknown>;
}) {
  const told = useQuery({
    queryKey: ["applied", view.id, view.variant, view.parameters, column.id, condition.name, values],
    queryFn: () =>
      api.understand(view.id, {
        phenomenon: column.phenomenon,
        on: condition.on,
        kind: condition.name,
        param: "",
        text: values,
        variant: view.variant,
        place,
      }),
    retry: false,
    placeholderData: (last) => last,
  });
  if (!told.data?.curve) return null;
  return (
    <div className="fld" data-testid="applied">
      <span className="lab">Applied</span>
      <Spark curve={told.data.curve} label="Applied" />
    </div>
  );
}
