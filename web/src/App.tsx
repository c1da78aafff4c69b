import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api } from "./client";
import type { RunView, ShelfCard } from "./client/views";
import { FireScreen } from "./fire/FireScreen";
import { Bar } from "./parts/Bar";
import { Finder } from "./parts/Finder";
import { KeyList } from "./parts/KeyList";
import { useKeys } from "./parts/keys";
import { announce } from "./parts/Notices";
import { ReadScreen } from "./read/ReadScreen";
import { SetScreen } from "./set/SetScreen";
import { ShelfScreen } from "./shelf/ShelfScreen";
import { useView } from "./state";
import { SideSums } from "./sums/SideSums";

export function App() {
  const { screen, caseId, runId, theme, go, setFinder, setKeys, setSums } = useView();
  const queries = useQueryClient();
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  useEffect(
    () =>
      api.events((view) => {
        const before = queries.getQueryData<RunView>(["run-event", view.id]);
        queries.setQueryData(["run-event", view.id], view);
        announce(
          before?.status,
          view,
          queries.getQueryData<ShelfCard[]>(["cases"])?.find((c) => c.id === view.case)?.name ?? "A case",
        );
        queries.setQueryData<RunView>(["run", view.id], (old) => old && { ...old, ...view });
        if (before?.status === view.status && before.frames === view.frames && before.lines === view.lines)
          return;
        const keys = [
          ["run", view.id],
          ["runs", view.case],
          ["frames", view.id],
        ];
        for (const key of before?.status === view.status ? keys : [...keys, ["cases"]])
          void queries.invalidateQueries({ queryKey: key });
      }),
    [queries],
  );
  useKeys(
    {
      "1": () => go({ screen: "shelf" }),
      "2": () => caseId && go({ screen: "set" }),
      "3": () => caseId && go({ screen: "fire" }),
      "4": () => caseId && go({ screen: "read" }),
      "/": () => setFinder(true),
      "ctrl+k": () => setFinder(true),
      "?": () => setKeys(true),
      k: () => setSums(true),
    },
    true,
  );
  return (
    <>
      <Bar />
      {screen === "shelf" && <ShelfScreen />}
      {screen === "set" && caseId && <SetScreen key={caseId} id={caseId} />}
      {screen === "fire" && caseId && <FireScreen key={caseId} id={caseId} runId={runId} />}
      {screen === "read" && caseId && <ReadScreen key={caseId} id={caseId} runId={runId} />}
      <Finder />
      <KeyList />
      <SideSums />
    </>
  );
}
