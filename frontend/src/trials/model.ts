import {
  isTogether,
  withBasket,
  type AxisValue,
  type BasketState,
  type FigureInfo,
  type Setup,
  type SetupState,
  type Surface,
  type Trial,
  type TrialOrder,
  type TrialSpan,
  type Varying,
} from "@/api";
import { TIMEFRAMES } from "@/setup";
import { plain } from "@/ui";

export { FACES, type Face } from "./faces";
import type { Face } from "./faces";

/** The axis of a signal search: which entry is tried. */
export const SIGNAL = "tried_signal";

/** What the address holds of the Trials place: a setup as the Workbench has it, what is done with it, the trial in view. */
export interface TrialsState extends SetupState, BasketState {
  face?: Face;
  trial?: number;
  /** Inputs to vary first. */
  x?: string;
  y?: string;
}

/** The setup of a face: of the basket where sweep, walk-forward and doubt are to be of it, and on the face of baskets
 *  always. */
export function setupOn(face: Face, setup: Setup, state: TrialsState): Setup {
  const isBasket = face === "basket" || (state.together && CAN_BE_TOGETHER.has(face));
  return isBasket ? withBasket(setup, state) : setup;
}

export const CAN_BE_TOGETHER: ReadonlySet<Face> = new Set<Face>(["sweep", "walk", "doubt"]);

/** One thing that can vary, as it is edited: a range, or some of the words it has. */
export interface AxisFields {
  name: string;
  isOn: boolean;
  from: string;
  to: string;
  step: string;
  /** All words of a choice, switch or place; empty for numbers. */
  words: string[];
  chosen: string[];
  /** What is said of it: its label, or the rules it lets exist. */
  said: string;
}

/** Everything of a script and its setup that can vary; the inputs named, or the first two, are on. */
export function axesOf(
  varying: Varying[],
  first: (string | undefined)[],
  setup: { market: string; timeframe: string; basket?: string[] },
  markets: string[],
): AxisFields[] {
  const asked = first.filter(
    (name): name is string => name !== undefined && varying.some((item) => item.name === name),
  );
  const on = asked.length > 0 ? asked : varying.slice(0, 2).map((item) => item.name);
  const inputs = varying.map((item) => ({
    name: item.name,
    isOn: on.includes(item.name),
    from: String(item.low),
    to: String(item.high),
    step: String(item.step),
    words: item.words,
    chosen: item.words,
    said: item.switches.length > 0 ? `lets exist: ${item.switches.join("; ")}` : item.label,
  }));
  const place = (name: string, words: string[], chosen: string[], said: string): AxisFields => ({
    name,
    isOn: false,
    from: "",
    to: "",
    step: "",
    words,
    chosen,
    said,
  });
  const order = [...inputs.filter((axis) => axis.isOn), ...inputs.filter((axis) => !axis.isOn)];
  return [
    ...order,
    place(
      "timeframe",
      [...new Set([...TIMEFRAMES, setup.timeframe])],
      [...new Set([setup.timeframe, "1h", "4h"])],
      "the bars the script runs on",
    ),
    ...(isTogether(setup) ? [] : [place("market", markets, [setup.market], "where the script runs")]),
    place("sides", ["both", "long", "short"], ["both", "long", "short"], "which entries are taken"),
  ];
}

export function varyText(axis: AxisFields): string {
  return axis.words.length
    ? `${axis.name}=${axis.words.filter((word) => axis.chosen.includes(word)).join(",")}`
    : `${axis.name}=${axis.from}..${axis.to}:${axis.step}`;
}

const PLAIN: Omit<TrialOrder, "kind" | "setup"> = {
  vary: [],
  objective: "return_over_drawdown",
  min_trades: 30,
  design: "grid",
  runs: 0,
  seed: 1,
  split: "",
  windows: { count: 6, ratio: 4, inside: 0, outside: 0, anchored: false },
  search: { conditions: [], most_parts: 2, hold: 20 },
};

/** An order of a trial: what is not asked for stays plain. */
export function orderOf(
  kind: TrialOrder["kind"],
  setup: Setup,
  asked: Partial<Omit<TrialOrder, "kind" | "setup">>,
): TrialOrder {
  return { ...PLAIN, ...asked, kind, setup };
}

/** How a drawn sweep chooses its points. */
export interface Design {
  kind: "grid" | "random" | "latin";
  runs: number;
}

/** How two axes of a trial are looked at: which ones, at which values of the others. */
export interface ViewChoice {
  x: string;
  y: string | null;
  /** Axes kept at one value, by its place. */
  held: Record<string, number>;
  fold: "middle" | "best";
  part: 0 | 1;
}

export function firstView(trial: Trial): ViewChoice {
  const [x, y] = trial.axes.filter((axis) => axis.values.length > 1);
  return { x: (x ?? trial.axes[0])?.name ?? "", y: y?.name ?? null, held: {}, fold: "middle", part: 0 };
}

/** The surface laid out for drawing: columns run along the first axis, rows along the second, from the bottom. */
export interface Grid {
  xName: string;
  yName: string;
  xValues: AxisValue[];
  yValues: AxisValue[];
  /** Value by row * columns + column. */
  values: (number | null)[];
  scores: (number | null)[];
  /** The point that stands for each place, in the same order; null where none has run. */
  numbers: (number | null)[];
}

export function gridOf(trial: Trial, surface: Surface, view: ViewChoice): Grid {
  const x = trial.axes.find((axis) => axis.name === view.x);
  const y = trial.axes.find((axis) => axis.name === view.y);
  const xValues = x?.values ?? [];
  const yValues = y?.values ?? [""];
  const grid: Grid = { xName: view.x, yName: y?.name ?? "", xValues, yValues, values: [], scores: [], numbers: [] };
  for (let row = 0; row < yValues.length; row++) {
    for (let column = 0; column < xValues.length; column++) {
      const place = column * yValues.length + row; // the server's x runs slowest
      grid.values.push(surface.values[place] ?? null);
      grid.scores.push(surface.neighbourhood[place] ?? null);
      grid.numbers.push(surface.numbers[place] ?? null);
    }
  }
  return grid;
}

/** Every `n`-th of a list so that no more than `most` are left. */
export function every(count: number, most: number): number {
  return Math.max(1, Math.ceil(count / most));
}

export function axisLabel(value: AxisValue): string {
  if (typeof value === "boolean") return value ? "on" : "off";
  return typeof value === "number" ? String(Number(value.toPrecision(6))) : value;
}

export function shortValue(info: FigureInfo | undefined, value: number): string {
  const shown = info?.unit === "fraction" ? value * 100 : value;
  const digits = Math.abs(shown) >= 10 ? 0 : Math.abs(shown) < 0.1 && shown !== 0 ? 2 : 1;
  const text = Math.abs(shown) >= 10_000 ? `${Math.round(Math.abs(shown) / 1000)}k` : Math.abs(shown).toFixed(digits);
  return shown < 0 && Number(text.replace("k", "")) !== 0 ? `−${text}` : text;
}

export function spanText(span: TrialSpan): string {
  const day = (iso: string) =>
    new Date(iso)
      .toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "2-digit", timeZone: "UTC" })
      .replace("Sept", "Sep");
  return `${day(span.first)} – ${day(span.last)}`;
}

export function bytesText(bytes: number): string {
  return bytes < 1_000_000 ? "under 1 MB" : `${plain(bytes / 1_000_000, 0)} MB`;
}

/** A limit as it was typed, in the unit that the figure has inside; null when it is no number. */
export function limitOf(info: FigureInfo | undefined, typed: string): number | null {
  const value = Number(typed);
  return typed.trim() === "" || !Number.isFinite(value) ? null : info?.unit === "fraction" ? value / 100 : value;
}

/** A limit as it is shown. */
export function limitText(info: FigureInfo | undefined, value: number): string {
  return info?.unit === "fraction"
    ? `${Number((value * 100).toPrecision(6))} %`
    : `${value}${info?.unit === "percent" ? " %" : ""}`;
}

/** How many runs a picture is drawn from: while many are still to come it is drawn anew at every hundredth only. */
export function drawnRuns(trial: Trial | undefined): number {
  if (!trial) return 0;
  const step = trial.state === "running" && trial.total > 2_000 ? Math.ceil(trial.total / 100) : 1;
  return Math.floor(trial.done / step) * step;
}

/** How many runs of a walk-forward belong to windows that are finished. */
export function finishedRuns(trial: Trial | undefined): number {
  if (!trial) return 0;
  const each = trial.total / Math.max(1, trial.parts.length);
  return Math.floor(trial.done / each) * each;
}

/** The inputs of a run as an address of the Workbench holds them: places go where they belong, the rest are inputs. */
export function openedState(
  trial: Trial,
  run: { inputs: Record<string, AxisValue> },
  script: { script?: string; version?: number },
): TrialsState {
  const from = trial.order.setup;
  const places = new Set(trial.axes.filter((axis) => axis.is_place).map((axis) => axis.name));
  const place = (name: string) => (places.has(name) ? (run.inputs[name] as string | undefined) : undefined);
  const sides = place("sides") ?? from.sides;
  const first = trial.parts[0];
  return {
    ...script,
    market: place("market") ?? from.market,
    timeframe: place("timeframe") ?? from.timeframe,
    from: first?.first ?? from.from_date ?? undefined,
    to: first?.last ?? from.to_date ?? undefined,
    account: from.account,
    sides: sides === "long" || sides === "short" ? sides : undefined,
    inverted: from.inverted || undefined,
    ...(from.basket?.length ? { markets: from.basket, dearest: from.dearest ?? undefined } : {}),
    inputs: {
      ...from.inputs,
      ...Object.fromEntries(Object.entries(run.inputs).filter(([name]) => !places.has(name) && name !== SIGNAL)),
    },
  };
}
