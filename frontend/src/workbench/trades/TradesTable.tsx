import { useVirtualizer } from "@tanstack/react-virtual";
import { Download } from "lucide-react";
import { useEffect, useMemo, useRef } from "react";
import type { Run } from "@/api";
import { amountText, moneyText, plain, saveFile, useKept } from "@/ui";
import { OverChart } from "../OverChart";
import { priceDigits } from "../chart/digits";
import { sumText } from "./model";
import { byTime, fieldsShown, runningSums, sortedRows, tradesCsv, type Order } from "./table";

interface Props {
  run: Run;
  title: string;
  /** Rows of the trades that the filter shows. */
  shown: number[];
  ended: number;
  chosen: number | null;
  /** Show a trade on the chart; the table is one key away. */
  onShow: (row: number) => void;
  onClose: () => void;
}

const ROW = 24;
const VIEWS = [
  ["trades", "each trade"],
  ["month", "by month"],
  ["year", "by year"],
] as const;

/** The trades as a table over the chart, sorted by any column, and by month and year; Escape goes back to the same view. */
export function TradesTable({ run, title, shown, ended, chosen, onShow, onClose }: Props) {
  const [order, setOrder] = useKept<Order>("trades order", { key: "number", isDown: true });
  const [view, setView] = useKept<"trades" | "month" | "year">("trades view", "trades");
  const host = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => sortedRows(run.trades, shown, order), [run.trades, shown, order]);
  const sums = useMemo(() => runningSums(run.trades, rows), [run.trades, rows]);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => host.current,
    estimateSize: () => ROW,
    overscan: 10,
  });
  const fields = useMemo(() => fieldsShown(run.trades), [run.trades]);
  const digits = priceDigits(run.tick);
  const at = chosen === null ? -1 : rows.indexOf(chosen);
  useEffect(() => {
    host.current?.focus();
    if (at >= 0) virtual.scrollToIndex(at, { align: "center" });
    // Only when it opens: afterwards the hand scrolls.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const items = virtual.getVirtualItems();
  const before = items[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  const sortBy = (key: string, isDown: boolean) => {
    setOrder({ key, isDown });
    if (host.current) host.current.scrollTop = 0;
  };
  const save = () => saveFile(`${title} trades.csv`, tradesCsv(run.trades, rows), "text/csv");
  return (
    <OverChart
      label="Trades as a table"
      testId="trades-table"
      what="the table"
      onClose={onClose}
      head={
        <>
          <h2>Trades</h2>
          <span className="num text-note text-soft">
            {shown.length < ended ? `${plain(shown.length, 0)} of ${plain(ended, 0)}` : plain(ended, 0)}
          </span>
          <span
            role="group"
            aria-label="How they are gathered"
            className="flex flex-none gap-2 text-note whitespace-nowrap"
          >
            {VIEWS.map(([name, said]) => (
              <button
                key={name}
                type="button"
                aria-pressed={view === name}
                className={`cursor-pointer border-b ${view === name ? "border-base-content font-semibold" : "border-transparent text-soft hover:text-base-content"}`}
                onClick={() => setView(name)}
              >
                {said}
              </button>
            ))}
          </span>
          <span className="num truncate text-note text-soft">{sumText(run.trades, shown)}</span>
          <button type="button" className="bar-button ml-auto" onClick={save}>
            <Download size={14} aria-hidden /> Save as CSV
          </button>
        </>
      }
    >
      {view !== "trades" ? (
        <ByTime run={run} rows={shown} parts={view} />
      ) : (
        <div
          ref={host}
          tabIndex={0}
          className="min-h-0 flex-1 overflow-auto"
          role="region"
          aria-label="Rows of trades; up and down go along, Enter shows one on the chart"
          onKeyDown={(event) => {
            const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15 }[event.key];
            if (event.key === "Enter" && chosen !== null) onClose();
            if (step === undefined) return;
            event.preventDefault();
            const to = Math.max(0, Math.min(rows.length - 1, at + step));
            const next = rows[to];
            if (next === undefined) return;
            onShow(next);
            virtual.scrollToIndex(to);
          }}
        >
          <table className="num w-full border-separate border-spacing-0 text-small whitespace-nowrap">
            <thead className="sticky top-0 z-10 bg-base-100 font-sans">
              <tr>
                {fields.map((field) => {
                  const isBy = order.key === field.key;
                  return (
                    <th
                      key={field.key}
                      scope="col"
                      aria-sort={isBy ? (order.isDown ? "descending" : "ascending") : "none"}
                      className={`border-b border-line px-1 py-1 font-normal ${field.isText ? "text-left" : "text-right"}`}
                    >
                      <button
                        type="button"
                        tabIndex={-1}
                        className="cursor-pointer text-soft hover:text-base-content"
                        title={`${field.meaning}; press to sort`}
                        onClick={() => sortBy(field.key, isBy ? !order.isDown : !field.isText)}
                      >
                        {field.name}
                        {isBy && (order.isDown ? " ↓" : " ↑")}
                      </button>
                    </th>
                  );
                })}
                <th
                  scope="col"
                  className="border-b border-line px-1 py-1 pr-2 text-right font-normal text-soft"
                  title="The net of the rows so far, as they are sorted"
                >
                  Sum
                </th>
              </tr>
            </thead>
            <tbody>
              {before > 0 && <tr style={{ height: before }} aria-hidden />}
              {items.map((item) => {
                const row = rows[item.index]!;
                return (
                  <tr
                    key={row}
                    data-row={row}
                    aria-selected={row === chosen}
                    style={{ height: ROW }}
                    className={`cursor-pointer ${row === chosen ? "bg-shallow" : "hover:bg-base-200"}`}
                    onClick={() => (onShow(row), onClose())}
                  >
                    {fields.map((field) => {
                      const value = field.value(run.trades, row);
                      const tone =
                        field.key === "side"
                          ? value === "long"
                            ? "text-long"
                            : "text-short"
                          : field.key === "net"
                            ? Number(value) > 0
                              ? "text-gain"
                              : "text-loss"
                            : "";
                      return (
                        <td
                          key={field.key}
                          className={`max-w-[14rem] truncate border-b border-line px-1 ${field.isText ? "text-left" : "text-right"} ${tone}`}
                          title={field.isText ? String(value) : undefined}
                        >
                          {field.shown(run, row, digits)}
                        </td>
                      );
                    })}
                    <td className="border-b border-line px-1 pr-2 text-right">{moneyText(sums[item.index]!)}</td>
                  </tr>
                );
              })}
              {after > 0 && <tr style={{ height: after }} aria-hidden />}
            </tbody>
          </table>
          {rows.length === 0 && <p className="p-4 text-soft">No trade is like that.</p>}
        </div>
      )}
    </OverChart>
  );
}

function ByTime({ run, rows, parts }: { run: Run; rows: number[]; parts: "month" | "year" }) {
  const found = useMemo(() => byTime(run, rows, parts), [run, rows, parts]);
  const most = Math.max(...found.map((item) => Math.abs(item.net)), 1e-9);
  return (
    <div className="min-h-0 flex-1 overflow-auto" tabIndex={0} role="region" aria-label={`Trades by ${parts}`}>
      <table className="num text-note" data-testid="trades-by">
        <thead className="sticky top-0 bg-base-100 font-sans text-soft">
          <tr>
            {[parts, "Trades", "Won", "Gross", "Costs", "Net", ""].map((name, place) => (
              <th
                key={place}
                scope="col"
                className={`border-b border-line px-3 py-1 font-normal ${place === 0 ? "text-left" : "text-right"}`}
              >
                {name || <span className="sr-only">drawn</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.map((item) => (
            <tr key={item.name}>
              <th scope="row" className="border-b border-line px-3 text-left font-normal">
                {item.name}
              </th>
              <td className="border-b border-line px-3 text-right">{plain(item.count, 0)}</td>
              <td className="border-b border-line px-3 text-right">{plain((item.won / item.count) * 100, 0)} %</td>
              <td className="border-b border-line px-3 text-right">{moneyText(item.gross)}</td>
              <td className="border-b border-line px-3 text-right">{amountText(item.costs)}</td>
              <td
                className={`border-b border-line px-3 text-right font-semibold ${item.net > 0 ? "text-gain" : item.net < 0 ? "text-loss" : ""}`}
              >
                {moneyText(item.net)}
              </td>
              <td className="border-b border-line px-3">
                <svg width="160" height="12" aria-hidden>
                  <line x1="80" x2="80" y1="0" y2="12" stroke="var(--line)" />
                  <rect
                    x={item.net >= 0 ? 80 : 80 - (-item.net / most) * 78}
                    y="2"
                    height="8"
                    width={(Math.abs(item.net) / most) * 78}
                    fill={item.net >= 0 ? "var(--gain)" : "var(--loss)"}
                  />
                </svg>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
