import type { Run, TradeColumns } from "@/api";
import { amountText, moneyText, plain, signed, timeText } from "@/ui";
import { COSTS, unitsText } from "./model";

/** A column of the table of trades: what stands in it, what it is sorted by, and what a file of it holds. */
export interface TradeField {
  key: string;
  name: string;
  meaning: string;
  isText?: boolean;
  value: (trades: TradeColumns, row: number) => number | string | null;
  shown: (run: Run, row: number, digits: number) => string;
  /** As a file has it, where that is not the value. */
  filed?: (trades: TradeColumns, row: number) => string;
}

const isoTime = (moment: number) => new Date(moment * 1000).toISOString().replace(".000", "");
const at = (run: Run, moment: number) => `${timeText(moment, run.zone, "date")} ${timeText(moment, run.zone, "time")}`;
const money = (key: "gross" | "net" | "best" | "worst", name: string, meaning: string): TradeField => ({
  key,
  name,
  meaning,
  value: (trades, row) => trades[key][row]!,
  shown: (run, row) => moneyText(run.trades[key][row]!),
});

export const TRADE_FIELDS: TradeField[] = [
  {
    key: "number",
    name: "No.",
    meaning: "In the order of the exits",
    value: (trades, row) => trades.first_number + row,
    shown: (run, row) => plain(run.trades.first_number + row, 0),
  },
  {
    key: "side",
    name: "Side",
    meaning: "Long earns when price rises, short when it falls",
    isText: true,
    value: (trades, row) => (trades.side[row]! > 0 ? "long" : "short"),
    shown: (run, row) => (run.trades.side[row]! > 0 ? "long" : "short"),
  },
  {
    key: "entry_time",
    name: "In",
    meaning: "When it was filled, in the market's zone",
    value: (trades, row) => trades.entry_time[row]!,
    shown: (run, row) => at(run, run.trades.entry_time[row]!),
    filed: (trades, row) => isoTime(trades.entry_time[row]!),
  },
  {
    key: "entry_price",
    name: "at",
    meaning: "The price paid, spread and slippage included",
    value: (trades, row) => trades.entry_price[row]!,
    shown: (run, row, digits) => plain(run.trades.entry_price[row]!, digits),
  },
  {
    key: "rule",
    name: "Rule",
    meaning: "The rule that entered",
    isText: true,
    value: (trades, row) => trades.rules[trades.rule[row]!] ?? "",
    shown: (run, row) => run.trades.rules[run.trades.rule[row]!] ?? "",
  },
  {
    key: "exit_time",
    name: "Out",
    meaning: "When it left, in the market's zone",
    value: (trades, row) => trades.exit_time[row]!,
    shown: (run, row) => at(run, run.trades.exit_time[row]!),
    filed: (trades, row) => isoTime(trades.exit_time[row]!),
  },
  {
    key: "exit_price",
    name: "at",
    meaning: "The price left at, spread and slippage included",
    value: (trades, row) => trades.exit_price[row]!,
    shown: (run, row, digits) => plain(run.trades.exit_price[row]!, digits),
  },
  {
    key: "reason",
    name: "Why out",
    meaning: "A rule's name, or stop, target, time, flat, reverse, the end of the data",
    isText: true,
    value: (trades, row) => trades.reasons[trades.reason[row]!] ?? "",
    shown: (run, row) => run.trades.reasons[run.trades.reason[row]!] ?? "",
  },
  {
    key: "units",
    name: "Units",
    meaning: "How many units or contracts",
    value: (trades, row) => trades.units[row]!,
    shown: (run, row) => unitsText(run.trades.units[row]!),
  },
  money("gross", "Gross", "Between mids, before costs, in the account's money"),
  ...COSTS.map(({ key, name }): TradeField => ({
    key,
    name: name[0]!.toUpperCase() + name.slice(1),
    meaning: `What ${name} took, in money`,
    value: (trades, row) => trades[key][row]!,
    shown: (run, row) => (run.trades[key][row] ? amountText(run.trades[key][row]) : "–"),
  })),
  money("net", "Net", "Gross less all costs, in money"),
  {
    key: "percent",
    name: "%",
    meaning: "Net in percent of what the entry was worth",
    value: (trades, row) => trades.percent[row] ?? null,
    shown: (run, row) => (run.trades.percent[row] == null ? "–" : signed(run.trades.percent[row], 2)),
  },
  {
    key: "r",
    name: "R",
    meaning: "Net as multiples of the first risk",
    value: (trades, row) => trades.r[row] ?? null,
    shown: (run, row) => (run.trades.r[row] == null ? "–" : signed(run.trades.r[row], 2)),
  },
  money("best", "Best", "The most it was ahead, in money"),
  money("worst", "Worst", "The most it was behind, in money"),
  {
    key: "bars_held",
    name: "Bars",
    meaning: "How many bars it was held",
    value: (trades, row) => trades.bars_held[row]!,
    shown: (run, row) => plain(run.trades.bars_held[row]!, 0),
  },
];

/** The columns to show: a kind of cost that no trade had is left out. */
export function fieldsShown(trades: TradeColumns): TradeField[] {
  return TRADE_FIELDS.filter(
    (field) =>
      !COSTS.some(({ key }) => key === field.key) ||
      trades[field.key as (typeof COSTS)[number]["key"]].some((cost) => cost !== 0),
  );
}

export interface Order {
  key: string;
  isDown: boolean;
}

/** Rows in the order of one column; what is unknown comes last. */
export function sortedRows(trades: TradeColumns, rows: number[], order: Order): number[] {
  const field = TRADE_FIELDS.find((item) => item.key === order.key) ?? TRADE_FIELDS[0]!;
  const values = new Map(rows.map((row) => [row, field.value(trades, row)]));
  const way = order.isDown ? -1 : 1;
  return [...rows].sort((a, b) => {
    const [x, y] = [values.get(a)!, values.get(b)!];
    if (x === null || y === null) return x === y ? a - b : x === null ? 1 : -1;
    return x < y ? -way : x > y ? way : a - b;
  });
}

/** The net of the rows so far, in the order they are shown. */
export function runningSums(trades: TradeColumns, rows: number[]): number[] {
  let sum = 0;
  return rows.map((row) => (sum += trades.net[row]!));
}

export interface Together {
  name: string;
  count: number;
  won: number;
  gross: number;
  costs: number;
  net: number;
}

/** Trades of each month, or year, of their exits. */
export function byTime(run: Run, rows: number[], parts: "month" | "year"): Together[] {
  const found = new Map<string, Together>();
  for (const row of [...rows].sort((a, b) => a - b)) {
    const name = timeText(run.trades.exit_time[row]!, run.zone, parts);
    const of = found.get(name) ?? { name, count: 0, won: 0, gross: 0, costs: 0, net: 0 };
    const [gross, net] = [run.trades.gross[row]!, run.trades.net[row]!];
    found.set(name, {
      name,
      count: of.count + 1,
      won: of.won + (net > 0 ? 1 : 0),
      gross: of.gross + gross,
      costs: of.costs + gross - net,
      net: of.net + net,
    });
  }
  return [...found.values()];
}

/** The rows as a file for spreadsheets: times in ISO 8601, UTC; no text that a spreadsheet would compute. */
export function tradesCsv(trades: TradeColumns, rows: number[]): string {
  const safe = (text: string) => {
    const guarded = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
    return /[",\n]/.test(guarded) ? `"${guarded.replaceAll('"', '""')}"` : guarded;
  };
  const sums = runningSums(trades, rows);
  const lines = rows.map((row, place) =>
    [
      ...TRADE_FIELDS.map((field) => {
        const value = field.filed?.(trades, row) ?? field.value(trades, row);
        return field.isText ? safe(String(value ?? "")) : value === null ? "" : String(value);
      }),
      String(sums[place]),
    ].join(","),
  );
  return [[...TRADE_FIELDS.map((field) => field.key), "running_sum"].join(","), ...lines, ""].join("\n");
}
