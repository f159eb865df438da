import type { Run, TradeColumns } from "@/api";
import { amountText, moneyText, plain, signed, timeText } from "@/ui";

/** Which trades are shown; what is left out does not matter. Weekdays and hours are those of the entry, in the market's zone. */
export interface TradeFilter {
  side?: "long" | "short";
  result?: "won" | "lost";
  rule?: number;
  reason?: number;
  weekday?: string;
  hour?: string;
  /** Only trades that the pinned run did not make. */
  isNew?: boolean;
}

/** Trades of a run by what tells them apart from others: their side and when they entered. */
export function tradeKeys(trades: { entry_time: number[]; side: (number | string)[] }): Set<string> {
  return new Set(
    trades.entry_time.map(
      (moment, row) => `${moment} ${trades.side[row] === "long" || trades.side[row] === 1 ? "long" : "short"}`,
    ),
  );
}

export const WEEKDAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

const moments = new Map<string, Intl.DateTimeFormat>();

/** Weekday and hour of a moment in a zone, such as ["Mon", "09"]. */
function weekdayAndHour(moment: number, zone: string): [string, string] {
  let format = moments.get(zone);
  if (!format)
    moments.set(
      zone,
      (format = new Intl.DateTimeFormat("en-GB", {
        timeZone: zone,
        weekday: "short",
        hour: "2-digit",
        hourCycle: "h23",
      })),
    );
  const text = format.format(new Date(moment * 1000));
  return [text.slice(0, 3), text.slice(-2)];
}

/** Rows of the trades that a filter shows, in order of exit. */
export function rowsShown(
  trades: TradeColumns,
  filter: TradeFilter,
  zone: string,
  pinned: Set<string> | null,
): number[] {
  const rows: number[] = [];
  for (let row = 0; row < trades.net.length; row++) {
    if (filter.side && trades.side[row]! > 0 !== (filter.side === "long")) continue;
    if (filter.result && trades.net[row]! > 0 !== (filter.result === "won")) continue;
    if (filter.isNew && pinned?.has(`${trades.entry_time[row]} ${trades.side[row]! > 0 ? "long" : "short"}`)) continue;
    if (filter.rule !== undefined && trades.rule[row] !== filter.rule) continue;
    if (filter.reason !== undefined && trades.reason[row] !== filter.reason) continue;
    if (filter.weekday || filter.hour) {
      const [weekday, hour] = weekdayAndHour(trades.entry_time[row]!, zone);
      if ((filter.weekday && weekday !== filter.weekday) || (filter.hour && hour !== filter.hour)) continue;
    }
    rows.push(row);
  }
  return rows;
}

/** Some trades together: their net, how many won, and the mean. */
export function sumText(trades: TradeColumns, rows: number[]): string {
  const net = rows.reduce((sum, row) => sum + trades.net[row]!, 0);
  const won = rows.filter((row) => trades.net[row]! > 0).length;
  return `${moneyText(net)} in all · ${plain(won, 0)} won · ${moneyText(net / Math.max(1, rows.length))} a trade`;
}

/** Units without needless decimals. */
export function unitsText(units: number): string {
  return units.toLocaleString("en-GB", { maximumFractionDigits: 6 });
}

/** What a trade cost, by kind. */
export const COSTS = [
  { key: "commission", name: "commission" },
  { key: "spread", name: "spread" },
  { key: "slippage", name: "slippage" },
  { key: "financing", name: "financing" },
] as const;

/** What the last trade was charged, by kind; null where there is none. */
export function costsOfLast(trades: TradeColumns): string | null {
  const row = trades.net.length - 1;
  if (row < 0) return null;
  const parts = COSTS.map(({ key, name }) => [name, trades[key][row]!] as const).filter(([, cost]) => cost !== 0);
  const total = parts.reduce((sum, [, cost]) => sum + cost, 0);
  const told = parts.map(([name, cost]) => `${name} ${amountText(cost)}`).join(", ");
  const number = plain(trades.first_number + row, 0);
  return parts.length === 0
    ? `The last trade, ${number}, cost nothing.`
    : `The last trade, ${number}, of ${unitsText(trades.units[row]!)} ${trades.units[row] === 1 ? "unit" : "units"}, cost ${amountText(total)}: ${told}.`;
}

/** One trade told in pieces: what it was, how it ended, what it earned, how far it went on the way. */
export function tradeSentence(
  run: Run,
  symbol: string,
  row: number,
  digits: number,
): { entry: string; exit: string; between: string; money: string; way: string } {
  const { trades, zone } = run;
  const at = (moment: number) => timeText(moment, zone, "full");
  const r = trades.r[row];
  const costs = COSTS.filter(({ key }) => trades[key][row]).map(
    ({ key, name }) => `${name} ${amountText(trades[key][row]!)}`,
  );
  const held = trades.bars_held[row]!;
  return {
    entry: `${trades.side[row]! > 0 ? "Long" : "Short"} ${unitsText(trades.units[row]!)} ${symbol} at ${plain(trades.entry_price[row]!, digits)} on ${at(trades.entry_time[row]!)} by “${trades.rules[trades.rule[row]!]}”`,
    exit: `out at ${plain(trades.exit_price[row]!, digits)} on ${at(trades.exit_time[row]!)} by ${trades.reasons[trades.reason[row]!]}, after ${plain(held, 0)} bar${held === 1 ? "" : "s"}`,
    // Prices and amounts from the same side of the costs, so that it adds up.
    between: `between mids ${plain(trades.entry_mid[row]!, digits)} and ${plain(trades.exit_mid[row]!, digits)}: ${moneyText(trades.gross[row]!)}${costs.length > 0 ? `; ${costs.join(", ")}` : "; no costs"}`,
    money: `${moneyText(trades.net[row]!)}${r === null || r === undefined ? "" : `, ${signed(r, 2)} R`}`,
    way: `best ${moneyText(trades.best[row]!)}, worst ${moneyText(trades.worst[row]!)} on the way`,
  };
}
