import { useVirtualizer } from "@tanstack/react-virtual";
import { ListFilter, Table2 } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type MouseEvent } from "react";
import type { Run } from "@/api";
import { later, moneyText, Picker, Said, plain, signed, timeText, useKept, useNarrow } from "@/ui";
import { sumText, type TradeFilter } from "./model";

const TradeFilters = later(() => import("./TradeFilters").then((found) => found.TradeFilters));

interface Props {
  run: Run;
  /** Rows of the trades that the filter shows, in order of exit. */
  shown: number[];
  /** How many trades there are without the filter. */
  ended: number;
  /** Against the pinned run: trades that only this one made, and that only that one made. */
  against: { added: number; gone: number } | null;
  filter: TradeFilter;
  onFilter: (filter: TradeFilter) => void;
  /** Say why there are so few, or so many; null while that would tell of bars that are covered. */
  onWhy: (() => void) | null;
  chosen: number | null;
  onChoose: (row: number) => void;
  /** Open the trades as a table over the chart. */
  onTable: () => void;
}

const ORDERS = [
  { value: "latest", label: "latest first" },
  { value: "earliest", label: "earliest first" },
  { value: "best", label: "best first" },
  { value: "worst", label: "worst first" },
];

/** One line a trade; choosing one flies the chart there. With Ctrl or Shift held, several are chosen and summed. */
export function TradesColumn({
  run,
  shown,
  ended,
  against,
  onWhy,
  filter,
  onFilter,
  chosen,
  onChoose,
  onTable,
}: Props) {
  const { trades } = run;
  const [order, setOrder] = useKept("trades column order", "latest");
  const [folded, setFolded] = useKept("trades folded", false);
  const isNarrow = useNarrow();
  const [filtering, setFiltering] = useState(false);
  const [several, setSeveral] = useState<{ of: string; rows: number[] }>({ of: run.key, rows: [] });
  const together = several.of === run.key ? several.rows : [];
  const list = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => {
    const found = [...shown];
    if (order === "latest") found.reverse();
    if (order === "best") found.sort((a, b) => trades.net[b]! - trades.net[a]!);
    if (order === "worst") found.sort((a, b) => trades.net[a]! - trades.net[b]!);
    return found;
  }, [trades, shown, order]);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => list.current,
    estimateSize: () => 41,
    overscan: 8,
  });
  const place = chosen === null ? -1 : rows.indexOf(chosen);
  useEffect(() => {
    if (place >= 0) virtual.scrollToIndex(place, { align: "auto" });
  }, [place, virtual]);

  const press = (event: MouseEvent, row: number) => {
    const begun = together.length > 0 ? together : chosen === null ? [] : [chosen];
    if (event.ctrlKey || event.metaKey) {
      setSeveral({ of: run.key, rows: begun.includes(row) ? begun.filter((other) => other !== row) : [...begun, row] });
    } else if (event.shiftKey && place >= 0) {
      const to = rows.indexOf(row);
      setSeveral({ of: run.key, rows: rows.slice(Math.min(place, to), Math.max(place, to) + 1) });
    } else {
      setSeveral({ of: run.key, rows: [] });
      onChoose(row);
    }
  };
  const isFiltered = shown.length < ended;
  const count = isFiltered ? `${plain(shown.length, 0)} of ${plain(ended, 0)}` : plain(ended, 0);
  if (folded)
    return (
      <button
        type="button"
        className="flex w-7 flex-none cursor-pointer items-start justify-center border-l border-line bg-base-100 pt-3"
        onClick={() => setFolded(false)}
      >
        <span style={{ writingMode: "vertical-rl" }}>Trades {count}</span>
      </button>
    );
  return (
    <aside
      aria-label="Trades"
      className={`flex flex-none flex-col border-l border-line bg-base-100 ${isNarrow ? "h-80 border-t" : "w-[212px]"}`}
    >
      <div className="flex h-9 flex-none items-center gap-1 border-b border-line px-3">
        <h2>Trades</h2>
        <span className="num text-note whitespace-nowrap text-soft" data-testid="trade-count">
          {count}
        </span>
        <button
          type="button"
          aria-label="Open the trades as a table"
          title="As a table over the chart (Alt T)"
          className="ml-auto cursor-pointer p-1 text-soft hover:text-base-content"
          onClick={onTable}
        >
          <Table2 size={14} aria-hidden />
        </button>
        <button
          type="button"
          aria-label="Filter the trades"
          title="Filter by side, result, rule, exit, weekday, hour"
          aria-expanded={filtering}
          className={`cursor-pointer p-1 ${isFiltered ? "text-brass" : "text-soft"} hover:text-base-content`}
          onClick={() => setFiltering(!filtering)}
        >
          <ListFilter size={14} aria-hidden />
        </button>
        <button
          type="button"
          aria-label="Fold the trades away"
          className="cursor-pointer px-1 text-soft"
          onClick={() => setFolded(true)}
        >
          ›
        </button>
      </div>
      {filtering && <TradeFilters trades={trades} filter={filter} onFilter={onFilter} />}
      <div className="flex flex-none items-baseline gap-2 border-b border-line px-3 py-1 text-note">
        <Picker label="Order of trades" value={order} options={ORDERS} onChange={setOrder} />
        {!isFiltered && onWhy && (
          <button type="button" className="ml-auto cursor-pointer text-soft hover:underline" onClick={onWhy}>
            why so few?
          </button>
        )}
        {isFiltered && (
          <button
            type="button"
            className="ml-auto cursor-pointer text-brass hover:underline"
            onClick={() => onFilter({})}
          >
            show all
          </button>
        )}
      </div>
      {against && (
        <p
          className="flex-none border-b border-line px-3 py-1 text-small leading-4 text-brass"
          data-testid="trades-against"
        >
          <button
            type="button"
            className="cursor-pointer hover:underline"
            aria-pressed={filter.isNew ?? false}
            onClick={() => onFilter({ ...filter, isNew: filter.isNew ? undefined : true })}
          >
            {plain(against.added, 0)} not in the kept run
          </button>
          , {plain(against.gone, 0)} of its are gone
        </p>
      )}
      {(isFiltered || together.length > 0) && (
        <p
          className="num flex-none border-b border-line px-3 py-1 text-small leading-4"
          role="status"
          data-testid="trade-sum"
        >
          {together.length > 0 && `${plain(together.length, 0)} chosen: `}
          {sumText(trades, together.length > 0 ? together : shown)}
        </p>
      )}
      {rows.length === 0 && (
        <p className="p-3 text-soft">
          {isFiltered ? (
            "No trade is like that."
          ) : (
            <Said text={run.findings.find((item) => item.code === "no_trades")?.message ?? "No trades."} />
          )}
        </p>
      )}
      <div
        ref={list}
        role="listbox"
        tabIndex={0}
        aria-label="List of trades"
        aria-multiselectable
        aria-activedescendant={place >= 0 ? `trade-row-${chosen}` : undefined}
        className="min-h-0 flex-1 overflow-auto"
        onKeyDown={(event) => {
          const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
          const next = rows[Math.min(rows.length - 1, Math.max(0, place + step))];
          if (step === 0 || next === undefined) return;
          event.preventDefault();
          if (event.shiftKey)
            setSeveral({ of: run.key, rows: [...new Set([...together, ...(chosen === null ? [] : [chosen]), next])] });
          else setSeveral({ of: run.key, rows: [] });
          onChoose(next);
        }}
      >
        <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
          {virtual.getVirtualItems().map((item) => {
            const row = rows[item.index]!;
            const net = trades.net[row]!;
            const r = trades.r[row];
            const isLong = trades.side[row]! > 0;
            const isTaken = row === chosen || together.includes(row);
            return (
              <div
                key={row}
                role="option"
                id={`trade-row-${row}`}
                aria-selected={isTaken}
                className={`absolute right-0 left-0 cursor-pointer border-b border-line px-3 py-[2px] leading-[18px] ${isTaken ? "border-l-[3px] border-l-base-content bg-shallow" : "hover:bg-base-200"}`}
                style={{ top: item.start, height: 41 }}
                onClick={(event) => press(event, row)}
              >
                <div className="flex gap-2">
                  <span
                    className={`num font-semibold ${isLong ? "text-long" : "text-short"}`}
                    title={isLong ? "long" : "short"}
                  >
                    {isLong ? "L" : "S"}
                  </span>
                  <span className="num min-w-0 truncate text-note">
                    {timeText(trades.entry_time[row]!, run.zone, "date")}
                  </span>
                  <span className={`num ml-auto flex-none font-semibold ${net > 0 ? "text-gain" : "text-loss"}`}>
                    {moneyText(net)}
                  </span>
                </div>
                <div className="flex gap-2 text-small text-soft">
                  <span className="num flex-none">{timeText(trades.entry_time[row]!, run.zone, "time")}</span>
                  <span className="min-w-0 truncate" title={trades.reasons[trades.reason[row]!]}>
                    {trades.reasons[trades.reason[row]!]}
                  </span>
                  <span className="num ml-auto flex-none whitespace-nowrap">
                    {r === null || r === undefined ? "" : `${signed(r, 1)} R`}
                  </span>
                </div>
              </div>
            );
          })}
        </div>
      </div>
    </aside>
  );
}
