import type { InputInfo, Script, SetupState, TradeColumns } from "@/api";

/** A script as it is opened: a saved version, or (0) a text that was never saved. */
export interface Opened {
  number: number;
  text: string;
}

/** What an address means of the scripts there are; the newest version where it names none, or one that is not there. */
export function openedOf(script: Script | undefined, title: string, number: number | undefined): Opened | undefined {
  if (number === 0 && !script) return { number: 0, text: templateOf(title) };
  return script?.versions.find((version) => version.number === number) ?? script?.versions.at(-1);
}

/** The title that a text gives itself; empty when it has none. */
export function titleIn(text: string): string {
  return (/^\s*title\s+"((?:\\.|[^"\\])*)"/m.exec(text)?.[1] ?? "").replaceAll('\\"', '"').trim();
}

/** What a new script begins with: a whole strategy that trades to the end of any bars, to change word by word. */
export function templateOf(title: string): string {
  return `title "${title}"
note "A beginning: change a word, and the chart, the trades and the figures follow."

input fast = 10 from 4 to 30 step 2      "Fast length"
input slow = 40 from 20 to 100 step 5    "Slow length"

quick = ema(close, fast)
calm  = ema(close, slow)
up    = quick crosses above calm
down  = quick crosses below calm

draw quick, calm

enter long  when up
enter short when down
stop 2 * atr(14)
size 1 units
`;
}

/** The given inputs with one changed; a value equal to the default is left out. */
export function changedInputs(
  given: SetupState["inputs"],
  input: InputInfo,
  value: number | boolean | string,
): SetupState["inputs"] {
  const next = { ...given };
  if (value === input.default) delete next[input.name];
  else next[input.name] = value;
  return Object.keys(next).length > 0 ? next : undefined;
}

/** Index of the first trade that ends at or after a bar; trades stand in the order of their exits. */
export function firstTradeEndingFrom(trades: TradeColumns, bar: number): number {
  let low = 0;
  let high = trades.exit_bar.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (trades.exit_bar[middle]! < bar) low = middle + 1;
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

/** A text under another title. */
export function retitled(text: string, title: string): string {
  const quoted = `"${title.replaceAll('"', '\\"')}"`;
  return /^\s*title\s+"/m.test(text)
    ? text.replace(/^(\s*title\s+)"((?:\\.|[^"\\])*)"/m, (_, words: string) => words + quoted)
    : `title ${quoted}\n${text}`;
}
