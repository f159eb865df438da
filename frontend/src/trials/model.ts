import type { FigureInfo, SetupState, Surface, SweepIn, Trial } from "@/api";

/** What the address holds of the Trials place: a setup as the Workbench has it, and the trial in view. */
export interface TrialsState extends SetupState {
  trial?: number;
  x?: string;
  y?: string;
  /** Whether the run is doubted, instead of swept. */
  doubt?: boolean;
}

export interface AxisFields {
  name: string;
  from: string;
  to: string;
  step: string;
  /** Words of a choice or switch; empty for numbers. */
  words: string[];
}

export interface InputRange {
  name: string;
  from: number;
  to: number;
  step: number;
  words: string[];
}

const INPUT = /^\s*input\s+([A-Za-z_]\w*)\s*=\s*(.*)$/gm;

/** The inputs that a script's text offers for sweeping, with their ranges. */
export function inputsOf(text: string): InputRange[] {
  const found: InputRange[] = [];
  for (const match of text.matchAll(INPUT)) {
    const [, name, rest] = match;
    if (!name || rest === undefined) continue;
    const range = /^(-?[\d.]+)\s+from\s+(-?[\d.]+)\s+to\s+(-?[\d.]+)(?:\s+step\s+([\d.]+))?/.exec(rest);
    const plain = /^(-?[\d.]+)\b(?!:)/.exec(rest);
    const words = /^\w+\s+one\s+of\s+([\w\s,]+)/.exec(rest);
    if (range) {
      const [low, high] = [Number(range[2]), Number(range[3])];
      found.push({ name, from: low, to: high, step: Number(range[4] ?? (high - low) / 10), words: [] });
    } else if (/^(on|off)\b/.test(rest)) found.push({ name, from: 0, to: 1, step: 1, words: ["off", "on"] });
    else if (words) found.push({ name, from: 0, to: 0, step: 1, words: words[1]!.split(",").map((word) => word.trim()).filter(Boolean) });
    else if (plain) found.push({ name, from: Number(plain[1]) / 2, to: Number(plain[1]) * 2, step: Math.max(Number(plain[1]) / 10, 1e-6), words: [] });
  }
  return found;
}

export function fieldsOf(input: InputRange): AxisFields {
  return { name: input.name, from: String(input.from), to: String(input.to), step: String(input.step), words: input.words };
}

export function varyText(axis: AxisFields): string {
  return axis.words.length ? `${axis.name}=${axis.words.join(",")}` : `${axis.name}=${axis.from}..${axis.to}:${axis.step}`;
}

export type Sweep = SweepIn;

/** The surface laid out for drawing: columns run along the first axis, rows along the second, from the bottom. */
export interface Grid {
  xName: string;
  yName: string;
  xValues: (number | boolean | string)[];
  yValues: (number | boolean | string)[];
  /** Value by row * columns + column. */
  values: (number | null)[];
  /** The cell's number in the trial, in the same places. */
  numbers: number[];
  done: boolean[];
}

export function gridOf(trial: Trial, surface: Surface): Grid {
  const [x, y] = trial.axes;
  const xValues = x?.values ?? [];
  const yValues = y?.values ?? [""];
  const columns = xValues.length;
  const rows = yValues.length;
  const values: (number | null)[] = [];
  const numbers: number[] = [];
  const done: boolean[] = [];
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      const number = column * rows + row; // the last axis runs fastest in a trial
      values.push(surface.values[number] ?? null);
      numbers.push(number);
      done.push(surface.trades[number] !== null && surface.trades[number] !== undefined);
    }
  }
  return { xName: x?.name ?? "", yName: y?.name ?? "", xValues, yValues, values, numbers, done };
}

/** Steps between contour lines: about ten, at round numbers, zero among them. */
export function contourSteps(values: (number | null)[]): number[] {
  const known = values.filter((value): value is number => value !== null);
  if (known.length === 0) return [];
  const low = Math.min(...known);
  const high = Math.max(...known);
  if (low === high) return [low];
  const raw = (high - low) / 9;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((factor) => factor * power).find((candidate) => candidate >= raw) ?? raw;
  const found: number[] = [];
  for (let level = Math.ceil(low / step) * step; level <= high; level += step) found.push(Math.abs(level) < step * 1e-6 ? 0 : level);
  return found;
}

/** Every `n`-th of a list so that no more than `most` are left. */
export function every(count: number, most: number): number {
  return Math.max(1, Math.ceil(count / most));
}

export function axisLabel(value: number | boolean | string): string {
  if (typeof value === "boolean") return value ? "on" : "off";
  return typeof value === "number" ? String(Number(value.toPrecision(6))) : value;
}

export function shortValue(info: FigureInfo | undefined, value: number): string {
  const shown = info?.unit === "fraction" ? value * 100 : value;
  const digits = Math.abs(shown) >= 100 ? 0 : Math.abs(shown) >= 10 ? 0 : 1;
  const text = Math.abs(shown) >= 10_000 ? `${Math.round(Math.abs(shown) / 1000)}k` : Math.abs(shown).toFixed(digits);
  return shown < 0 && Number(text.replace("k", "")) !== 0 ? `−${text}` : text;
}
