import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Run } from "@/api";
import { Picker, Said, plain, signed, timeText } from "@/ui";

interface Props {
  run: Run;
  chosen: number | null;
  onChoose: (row: number) => void;
}

const ORDERS = [
  { value: "latest", label: "latest first" },
  { value: "earliest", label: "earliest first" },
  { value: "best", label: "best first" },
  { value: "worst", label: "worst first" },
];

/** One line a trade; choosing one flies the chart there. */
export function TradesColumn({ run, chosen, onChoose }: Props) {
  const { trades } = run;
  const [order, setOrder] = useState("latest");
  const [folded, setFolded] = useState(false);
  const list = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => {
    const found = trades.net.map((_, row) => row);
    if (order === "latest") found.reverse();
    if (order === "best") found.sort((a, b) => trades.net[b]! - trades.net[a]!);
    if (order === "worst") found.sort((a, b) => trades.net[a]! - trades.net[b]!);
    return found;
  }, [trades, order]);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => list.current, estimateSize: () => 41, overscan: 8 });
  const place = chosen === null ? -1 : rows.indexOf(chosen);
  useEffect(() => {
    if (place >= 0) virtual.scrollToIndex(place, { align: "auto" });
  }, [place, virtual]);

  if (folded)
    return (
      <button type="button" className="flex w-7 flex-none cursor-pointer items-start justify-center border-l border-line bg-base-100 pt-3" onClick={() => setFolded(false)}>
        <span style={{ writingMode: "vertical-rl" }}>Trades {plain(trades.net.length, 0)}</span>
      </button>
    );
  return (
    <aside aria-label="Trades" className="flex w-[212px] flex-none flex-col border-l border-line bg-base-100">
      <div className="flex h-9 flex-none items-center gap-1 border-b border-line px-3">
        <h2>Trades</h2>
        <span className="num text-soft">{plain(trades.net.length, 0)}</span>
        <span className="ml-auto text-[12px]">
          <Picker label="Order of trades" value={order} options={ORDERS} onChange={setOrder} />
        </span>
        <button type="button" aria-label="Fold the trades away" className="cursor-pointer px-1 text-soft" onClick={() => setFolded(true)}>
          ›
        </button>
      </div>
      {rows.length === 0 && (
        <p className="p-3 text-soft">
          <Said text={run.findings.find((item) => item.code === "no_trades")?.message ?? "No trades."} />
        </p>
      )}
      <div
        ref={list}
        role="listbox"
        tabIndex={0}
        aria-label="List of trades"
        className="min-h-0 flex-1 overflow-auto"
        onKeyDown={(event) => {
          const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
          const next = rows[Math.min(rows.length - 1, Math.max(0, place + step))];
          if (step === 0 || next === undefined) return;
          event.preventDefault();
          onChoose(next);
        }}
      >
        <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
          {virtual.getVirtualItems().map((item) => {
            const row = rows[item.index]!;
            const net = trades.net[row]!;
            const r = trades.r[row];
            const isLong = trades.side[row]! > 0;
            return (
              <div
                key={row}
                role="option"
                aria-selected={row === chosen}
                className={`absolute right-0 left-0 cursor-pointer border-b border-line px-3 py-[2px] leading-[18px] ${row === chosen ? "border-l-[3px] border-l-base-content bg-shallow" : "hover:bg-base-200"}`}
                style={{ top: item.start, height: 41 }}
                onClick={() => onChoose(row)}
              >
                <div className="flex gap-2">
                  <span className={`num font-semibold ${isLong ? "text-long" : "text-short"}`} title={isLong ? "long" : "short"}>
                    {isLong ? "L" : "S"}
                  </span>
                  <span className="num text-[12px]">{timeText(trades.entry_time[row]!, run.zone, "date")} {timeText(trades.entry_time[row]!, run.zone, "time")}</span>
                  <span className={`num ml-auto font-semibold ${net > 0 ? "text-gain" : "text-loss"}`}>{signed(net, 0)}</span>
                </div>
                <div className="flex gap-2 text-[11.5px] text-soft">
                  <span className="truncate" title={trades.reasons[trades.reason[row]!]}>{trades.reasons[trades.reason[row]!]}</span>
                  <span className="num ml-auto whitespace-nowrap">{r === null || r === undefined ? "" : `${signed(r, 1)} R`}</span>
                </div>
              </div>
            );
          })}
        </div>
      </div>
    </aside>
  );
}
