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

/** A market before anything is told of it. */
export const NEW: Description = {
  symbol: "",
  title: "",
  tick: "0.01",
  point_value: "1",
  lot_step: "0.000001",
  pip: "",
  spread: "0",
  session: "00:00-24:00",
  days: "mon-sun",
  zone: "UTC",
};

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

const ENDINGS = [".csv", ".txt", ".tsv", ".gz", ".zip", ".parquet", ".feather", ".arrow", ".xlsx", ".xlsm", ".ods"];
export const ACCEPTED = [...ENDINGS, "text/csv"].join(",");

/** The files of bars among what was dropped or chosen, those inside folders too, in the order of their names. */
export async function filesOf(items: DataTransferItemList): Promise<File[]> {
  const entries = [...items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  const found = (await Promise.all(entries.map(filesIn))).flat();
  return entries.some((entry) => entry.isDirectory) ? ofBars(found) : found;
}

export const ofBars = (files: File[]) =>
  files
    .filter((file) => ENDINGS.some((ending) => file.name.toLowerCase().endsWith(ending)))
    .sort((a, b) => a.name.localeCompare(b.name));

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) return [await new Promise((found, failed) => (entry as FileSystemFileEntry).file(found, failed))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  for (;;) {
    const some: FileSystemEntry[] = await new Promise((read, failed) => reader.readEntries(read, failed));
    if (some.length === 0) return found;
    found.push(...(await Promise.all(some.map(filesIn))).flat());
  }
}
