import { useMemo, useState } from "react";
import type { Run } from "@/api";
import { rowsShown, type TradeFilter } from "./model";

/** The trades to look at; while a run is followed up to a bar, those that ended by then. A filter by a rule or reason that the script no longer has shows none, and can be taken back. */
export function useTradeFilter(run: Run | null, cover: number | null) {
  const [filter, setFilter] = useState<TradeFilter>({});
  const ended = useMemo(() => (run && cover !== null ? run.trades.exit_bar.filter((bar) => bar <= cover).length : (run?.trades.net.length ?? 0)), [run, cover]);
  const shown = useMemo(() => (run ? rowsShown(run.trades, filter, run.zone).filter((row) => cover === null || run.trades.exit_bar[row]! <= cover) : []), [run, filter, cover]);
  return { filter, setFilter, shown, ended };
}
