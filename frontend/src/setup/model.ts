import type { Market } from "@/api";

const MINUTES: Record<string, number> = { m: 1, h: 60, d: 1440, w: 10_080 };

/** Timeframes that are proposed; any other of the language can be typed. */
export const TIMEFRAMES = ["1m", "2m", "3m", "5m", "10m", "15m", "30m", "1h", "2h", "4h", "6h", "12h", "1d", "1w"];

/** A timeframe as the language writes it, from what was typed; null when there is none of that kind. */
export function readTimeframe(typed: string): string | null {
  const found = /^\s*(\d{1,4})\s*([mhdw])\s*$/i.exec(typed);
  if (!found) return null;
  const [count, unit] = [Number(found[1]), found[2]!.toLowerCase()];
  if (
    count < 1 ||
    ((unit === "d" || unit === "w") && count !== 1) ||
    count * MINUTES[unit]! > MINUTES[unit === "w" ? "w" : "d"]!
  )
    return null;
  const minutes = count * MINUTES[unit]!;
  if (minutes < 1440) return minutes % 60 === 0 ? `${minutes / 60}h` : `${minutes}m`;
  return unit === "w" ? "1w" : "1d";
}

const minutesOf = (timeframe: string) => Number.parseInt(timeframe) * (MINUTES[timeframe.at(-1) ?? ""] ?? NaN);

/** Whether bars of one timeframe can be gathered into those of another. */
export function canBuild(from: string, to: string): boolean {
  const [stored, wanted] = [minutesOf(from), minutesOf(to)];
  return wanted >= stored && (wanted >= 1440 || wanted % stored === 0);
}

/** Whether a market's stored bars give a timeframe. */
export function isBuildable(market: Market, timeframe: string): boolean {
  return market.bars.some((bars) => canBuild(bars.timeframe, timeframe));
}

/** The timeframe to take instead of one that a market's bars do not give: the nearest longer one, else the shortest. */
export function timeframeInstead(market: Market, wanted: string): string | undefined {
  const given = [...new Set([...TIMEFRAMES, ...market.bars.map((bars) => bars.timeframe)])]
    .filter((timeframe) => isBuildable(market, timeframe))
    .sort((a, b) => minutesOf(a) - minutesOf(b));
  return given.find((timeframe) => minutesOf(timeframe) >= minutesOf(wanted)) ?? given[0];
}

/** The first and the last day of a market's bars, as 2024-01-31; empty without any. */
export function daysOf(market: Market | undefined): { first: string; last: string } {
  const bars = market?.bars ?? [];
  return {
    first: bars.map((item) => item.first.slice(0, 10)).sort()[0] ?? "",
    last:
      bars
        .map((item) => item.last.slice(0, 10))
        .sort()
        .at(-1) ?? "",
  };
}

/** Whether a market has bars between two days; null for no bound. */
export function hasDays(market: Market, from: string | null | undefined, to: string | null | undefined): boolean {
  const { first, last } = daysOf(market);
  return last !== "" && (from ?? first) <= last && (to ?? last) >= first;
}

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

/** A day as it may be typed, as 2024-01-31: "31 Jan 2024" or as it is returned; null when it is none. */
export function readDay(typed: string): string | null {
  const text = typed.trim();
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text);
  const told = /^(\d{1,2})\s+([A-Za-z]{3,9})\.?,?\s+(\d{4})$/.exec(text);
  const [year, month, day] = iso
    ? [Number(iso[1]), Number(iso[2]), Number(iso[3])]
    : told
      ? [Number(told[3]), MONTHS.indexOf(told[2]!.slice(0, 3).toLowerCase()) + 1, Number(told[1])]
      : [0, 0, 0];
  const moment = new Date(Date.UTC(year, month - 1, day));
  return year >= 1000 && month >= 1 && moment.getUTCMonth() === month - 1 && moment.getUTCDate() === day
    ? moment.toISOString().slice(0, 10)
    : null;
}

/** Days that a run is often asked for: all of them, the last year, the last 90 days, and every year. */
export function presetSpans(
  first: string,
  last: string,
): { name: string; from: string | undefined; to: string | undefined }[] {
  if (!first || !last) return [];
  const before = (days: number) => new Date(Date.parse(last) - days * 86_400_000).toISOString().slice(0, 10);
  const within = (day: string) => (day > first ? day : undefined);
  const years: { name: string; from: string | undefined; to: string | undefined }[] = [];
  for (let year = Number(first.slice(0, 4)); year <= Number(last.slice(0, 4)); year++)
    years.push({
      name: String(year),
      from: within(`${year}-01-01`),
      to: `${year}-12-31` < last ? `${year}-12-31` : undefined,
    });
  return [
    { name: "All of it", from: undefined, to: undefined },
    { name: "Last year", from: within(before(364)), to: undefined },
    { name: "Last 90 days", from: within(before(89)), to: undefined },
    ...years.slice(-16),
  ];
}
