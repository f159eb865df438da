import type { InputInfo, Script, SetupState, TradeColumns } from "@/api";

export function versionOf(script: Script | undefined, number: number | undefined) {
  if (!script) return undefined;
  return script.versions.find((version) => version.number === number) ?? script.versions[script.versions.length - 1];
}

const draftKey = (title: string, version: number) => `skelb-draft ${title} v${version}`;

/** A text that was typed and not saved survives a reload. */
export function readDraft(title: string, version: number): string | null {
  return localStorage.getItem(draftKey(title, version));
}

export function keepDraft(title: string, version: number, text: string, saved: string): void {
  if (text === saved) localStorage.removeItem(draftKey(title, version));
  else localStorage.setItem(draftKey(title, version), text);
}

export const TIMEFRAMES = ["1m", "2m", "3m", "5m", "10m", "15m", "30m", "1h", "2h", "4h", "1d", "1w"];

export function inputText(input: InputInfo, value: number | boolean | string): string {
  if (input.kind === "switch") return value ? "on" : "off";
  if (input.kind === "time" && typeof value === "number") return `${String(Math.floor(value / 60)).padStart(2, "0")}:${String(value % 60).padStart(2, "0")}`;
  return String(value);
}

/** The given inputs with one changed; a value equal to the default is left out. */
export function changedInputs(given: SetupState["inputs"], input: InputInfo, value: number | boolean | string): SetupState["inputs"] {
  const next = { ...given };
  if (value === input.default) delete next[input.name];
  else next[input.name] = value;
  return Object.keys(next).length > 0 ? next : undefined;
}

/** Index of the first trade whose entry lies at or after a bar. */
export function firstTradeFrom(trades: TradeColumns, bar: number): number {
  let low = 0;
  let high = trades.entry_bar.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (trades.entry_bar[middle]! < bar) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The default range of an input for its slider. */
export function sliderRange(input: InputInfo): { low: number; high: number; step: number } {
  const value = typeof input.default === "number" ? input.default : 0;
  const low = input.low ?? Math.min(0, value * 2);
  const high = input.high ?? Math.max(1, value * 3);
  return { low, high, step: input.step ?? (Number.isInteger(value) && Number.isInteger(low) ? 1 : (high - low) / 100) };
}
