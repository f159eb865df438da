import type { ImportPreview, Market } from "@/api";

export interface Span {
  start: number;
  end: number;
}

/** From the first stored bar of any market to the last. */
export function coverageSpan(markets: Market[]): Span {
  const all = markets.flatMap((market) => market.bars);
  const start = Math.min(...all.map((bars) => Date.parse(bars.first)));
  const end = Math.max(...all.map((bars) => Date.parse(bars.last)));
  return { start, end: Math.max(end, start + 1) };
}

export function shareOf(bars: { first: string; last: string }, span: Span): { left: number; width: number } {
  const length = span.end - span.start;
  const left = (Date.parse(bars.first) - span.start) / length;
  return { left, width: (Date.parse(bars.last) - Date.parse(bars.first)) / length };
}

/** Where years begin in a span, at most a dozen of them. */
export function yearsIn(span: Span): { label: string; at: number }[] {
  const first = new Date(span.start).getUTCFullYear();
  const last = new Date(span.end).getUTCFullYear();
  const step = Math.max(1, Math.ceil((last - first + 1) / 12));
  const found: { label: string; at: number }[] = [];
  for (let year = first; year <= last; year += step) {
    const at = (Date.UTC(year, 0, 1) - span.start) / (span.end - span.start);
    if (at >= 0 && at < 0.97) found.push({ label: String(year), at });
    else if (at < 0) found.push({ label: String(year), at: 0 });
  }
  return found.filter((year, index) => index === 0 || year.at - found[index - 1]!.at > 0.04);
}

/** A symbol suggested by a file's name. */
export function symbolFrom(name: string): string {
  return name
    .replace(/\.[^.]*$/, "")
    .replace(/[^A-Za-z0-9/]+/g, "_")
    .toUpperCase()
    .slice(0, 20);
}

export interface Description {
  symbol: string;
  title: string;
  tick: string;
  point_value: string;
  lot_step: string;
  zone: string;
  session: string;
  days: string;
  spread: string;
  pip: string;
}

/** The description's fields that the bars themselves tell. */
export function guessed(guesses: ImportPreview["guesses"]): Partial<Description> {
  return Object.fromEntries(guesses.map(({ key, value }) => [key, String(value)]));
}

/** The description's fields as market settings; empty fields are left to their defaults. */
export function settingsOf(fields: Description): Record<string, unknown> {
  const settings: Record<string, unknown> = { session: fields.session, days: fields.days, zone: fields.zone };
  for (const name of ["tick", "point_value", "lot_step", "spread", "pip"] as const) {
    if (fields[name].trim()) settings[name] = Number(fields[name].replace(",", "."));
  }
  if (fields.lot_step.trim()) settings.min_lot = settings.lot_step;
  return settings;
}
