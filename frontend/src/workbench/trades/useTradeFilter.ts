import { useMemo, useState } from "react";
import type { Run } from "@/api";
import { rowsShown, type TradeFilter } from "./model";

/** The trades to look at. A filter by a rule or reason that the script no longer has shows none, and can be taken back. */
export function useTradeFilter(run: Run | null) {
  const [filter, setFilter] = useState<TradeFilter>({});
  const shown = useMemo(() => (run ? rowsShown(run.trades, filter, run.zone) : []), [run, filter]);
  return { filter, setFilter, shown };
}
