import { useMemo, useState } from "react";
import type { Run, Trace } from "@/api";
import { rowsShown, tradeKeys, type TradeFilter } from "./model";

/** The trades to look at; while a run is followed up to a bar, those that ended by then. A filter by a rule or reason that the script no longer has shows none, and can be taken back. */
export function useTradeFilter(run: Run | null, cover: number | null, pinned: Trace | null) {
  const keys = useMemo(() => (pinned ? tradeKeys(pinned.trades) : null), [pinned]);
  const [filter, setFilter] = useState<TradeFilter>({});
  const ended = useMemo(
    () =>
      run && cover !== null ? run.trades.exit_bar.filter((bar) => bar <= cover).length : (run?.trades.net.length ?? 0),
    [run, cover],
  );
  const shown = useMemo(
    () =>
      run
        ? rowsShown(run.trades, filter, run.zone, keys).filter(
            (row) => cover === null || run.trades.exit_bar[row]! <= cover,
          )
        : [],
    [run, filter, cover, keys],
  );
  const against = useMemo(() => {
    if (!run || !keys) return null;
    const own = tradeKeys(run.trades);
    return {
      added: [...own].filter((key) => !keys.has(key)).length,
      gone: [...keys].filter((key) => !own.has(key)).length,
    };
  }, [run, keys]);
  return { filter, setFilter, shown, ended, against };
}
