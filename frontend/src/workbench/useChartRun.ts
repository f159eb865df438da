import { useEffect, useState } from "react";
import type { AskOnce, Run } from "@/api";

type Found = { of: string; run: Run } | { of: string; reason: string };

/** The run on the bars of another timeframe, or its own; why not, where those cannot be. */
export function useChartRun(
  run: Run | null,
  timeframe: string | undefined,
  ask: AskOnce,
): { run: Run | null; isReading: boolean; reason: string | null } {
  const [found, setFound] = useState<Found | null>(null);
  const wanted =
    run !== null && timeframe !== undefined && timeframe !== run.timeframe ? `${run.key}@${timeframe}` : null;
  useEffect(() => {
    if (wanted === null) return;
    let isWanted = true;
    const [key, on] = wanted.split("@") as [string, string];
    void ask("chart", { run: key, timeframe: on }).then((told) => {
      if (!isWanted || told.kind === "superseded") return;
      setFound(told.kind === "answer" ? { of: wanted, run: told.answer.chart } : { of: wanted, reason: told.reason });
    });
    return () => {
      isWanted = false;
    };
  }, [wanted, ask]);
  if (wanted === null) return { run, isReading: false, reason: null };
  if (found?.of !== wanted) return { run: null, isReading: true, reason: null };
  return "run" in found
    ? { run: found.run, isReading: false, reason: null }
    : { run, isReading: false, reason: found.reason };
}
