import type { Run } from "@/api";

/** The stretch of bars in view: from `a` to `b`, both counted in bars and possibly between two of them. */
export interface View {
  a: number;
  b: number;
}

const FEWEST = 12;

/** The view kept inside the bars there are, and not narrower than a dozen of them. */
export function clamped(view: View, bars: number): View {
  const room = Math.max(FEWEST, bars * 1.02);
  const width = Math.min(Math.max(view.b - view.a, Math.min(FEWEST, bars)), room);
  const middle = (view.a + view.b) / 2;
  let a = middle - width / 2;
  a = Math.max(-0.5 - width * 0.02, Math.min(a, bars - 0.5 + width * 0.02 - width));
  return { a, b: a + width };
}

const MOST_AT_FIRST = 480;
const FEWEST_AT_FIRST = 200;

/** The last trades of a run with room around them; its last bars where it has none. */
export function lastTrades(run: Run): View {
  const { entry_bar, exit_bar } = run.trades;
  const ended = exit_bar.at(-1);
  // As many of the last trades as can be told apart at a glance, one at least.
  let row = entry_bar.length - 1;
  while (row > 0 && ended !== undefined && ended - entry_bar[row - 1]! < MOST_AT_FIRST * 0.6) row--;
  const begun = entry_bar[row];
  if (begun === undefined || ended === undefined)
    return clamped({ a: run.last - Math.min(MOST_AT_FIRST, run.last - run.first + 1), b: run.last + 6 }, run.bars);
  const width = Math.max(FEWEST_AT_FIRST, Math.min(MOST_AT_FIRST, (ended - begun) * 1.5));
  return clamped({ a: ended - width * 0.9, b: ended + width * 0.1 }, run.bars);
}

export function zoomed(view: View, at: number, factor: number, bars: number): View {
  return clamped({ a: at - (at - view.a) * factor, b: at + (view.b - at) * factor }, bars);
}

export function moved(view: View, by: number, bars: number): View {
  return clamped({ a: view.a + by, b: view.b + by }, bars);
}

export function centred(bar: number, width: number, bars: number): View {
  return clamped({ a: bar - width / 2, b: bar + width / 2 }, bars);
}

/** Whether a window of data serves a view: it covers it and has its resolution. */
export function serves(
  window: { first: number; step: number; count: number } | null,
  view: View,
  step: number,
  bars: number,
): boolean {
  if (!window || window.step !== step) return false;
  const end = window.first + window.count * window.step;
  const margin = (view.b - view.a) * 0.25;
  return window.first <= Math.max(0, view.a - margin) && end >= Math.min(bars, view.b + margin);
}

/** Bars that share one column when a view is drawn `pixels` wide. */
export function stepFor(view: View, pixels: number): number {
  return Math.max(1, Math.ceil((view.b - view.a) / Math.max(1, pixels)));
}
