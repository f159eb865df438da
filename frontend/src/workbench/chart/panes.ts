import type { ChartWindow, Run } from "@/api";
import type { View } from "./view";

export type PaneKind = "price" | "panel" | "lanes" | "position" | "equity" | "water";

export interface PaneInfo {
  kind: PaneKind;
  name: string;
  /** Height in pixels, or a share of what is left over. */
  height: number;
  grows: boolean;
}

export const LANE_HEIGHT = 14;
/** Pixels beside and below the panes, and of the strip above them. */
export const AXIS = 58;
export const TIME_AXIS = 26;
export const OVERVIEW = 36;

/** The panes a run asks for, from top to bottom. */
export function panesOf(run: Run, lanes: string[]): PaneInfo[] {
  const names = [...run.scene.lines.map((line) => line.panel), ...run.scene.levels.map((level) => level.panel)];
  const panels = [...new Set(names.filter((name): name is string => name !== null))];
  const panes: PaneInfo[] = [{ kind: "price", name: "", height: 160, grows: true }];
  for (const name of panels) panes.push({ kind: "panel", name, height: 68, grows: false });
  if (lanes.length > 0)
    panes.push({ kind: "lanes", name: lanes.join("\n"), height: lanes.length * LANE_HEIGHT + 8, grows: false });
  if (run.is_strategy) {
    panes.push({ kind: "position", name: "position, profit", height: 48, grows: false });
    panes.push({ kind: "equity", name: "equity", height: 84, grows: false });
    panes.push({ kind: "water", name: "under water", height: 36, grows: false });
  }
  return panes;
}

/** The rows of a window that a view touches, as [from, to). */
export function rowsIn(window: ChartWindow, view: View): [number, number] {
  const rows = window.x.length; // none of them when the view has left the window and the next is on its way
  const from = Math.min(rows, Math.max(0, Math.floor((view.a - window.first) / window.step)));
  const to = Math.min(rows, Math.ceil((view.b - window.first) / window.step) + 1);
  return [from, Math.max(from, to)];
}

function spanOf(lists: (number | null)[][], from: number, to: number): [number, number] | null {
  let low = Infinity;
  let high = -Infinity;
  for (const list of lists) {
    for (let i = from; i < to; i++) {
      const value = list[i];
      if (value === null || value === undefined) continue;
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  return low <= high ? [low, high] : null;
}

/** The range of values a pane shows: everything in view, with a little air. */
export function valueRange(pane: PaneInfo, run: Run, window: ChartWindow, view: View): [number, number] {
  const [from, to] = rowsIn(window, view);
  const lists: (number | null)[][] = [];
  if (pane.kind === "price") {
    const bars = spanOf([window.high, window.low], from, to) ?? [0, 1];
    const reach = (bars[1] - bars[0]) * 0.6;
    // Lines far from price must not flatten the bars: they count as far as 0.6 of the bars' span beyond it.
    const lines = run.scene.lines.filter((line) => line.panel === null).flatMap((line) => listsOf(window, line.key));
    const drawn = spanOf(lines, from, to) ?? bars;
    return padded(
      [Math.max(Math.min(bars[0], drawn[0]), bars[0] - reach), Math.min(Math.max(bars[1], drawn[1]), bars[1] + reach)],
      0.12,
      0.22,
    );
  }
  if (pane.kind === "panel") {
    for (const line of run.scene.lines) if (line.panel === pane.name) lists.push(...listsOf(window, line.key));
    const levels = run.scene.levels.filter((level) => level.panel === pane.name).map((level) => level.value);
    const found = spanOf(lists, from, to);
    const all = [...(found ?? []), ...levels];
    const pillars = run.scene.lines.some((line) => line.panel === pane.name && line.form === "pillars");
    if (pillars) all.push(0);
    return all.length ? padded([Math.min(...all), Math.max(...all)], 0.12, 0.34) : [0, 1];
  }
  if (pane.kind === "position") {
    const found = spanOf([window.floating], from, to) ?? [-1, 1];
    const most = Math.max(Math.abs(found[0]), Math.abs(found[1]), 1e-9);
    return [-most * 1.1, most * 2.4]; // the reading stands above the bars, not on them
  }
  if (pane.kind === "equity") {
    const equity = window.equity;
    const own = spanOf([equity.low ?? equity.value, equity.high ?? equity.value], from, to) ?? [0, 1];
    const wide = spanOf([window.holding], from, to) ?? own;
    // Holding may be far away: it counts as far as it leaves the equity's own course readable.
    const reach = Math.max((own[1] - own[0]) * 2, Math.abs(own[1]) * 0.01);
    return padded(
      [Math.max(Math.min(own[0], wide[0]), own[0] - reach), Math.min(Math.max(own[1], wide[1]), own[1] + reach)],
      0.08,
      0.3,
    );
  }
  if (pane.kind === "water") {
    // As deep as the whole run ever was: a shallow stretch is drawn shallow.
    const most = Math.max(run.figures.all.max_drawdown ?? 0, spanOf([window.drawdown], from, to)?.[1] ?? 0, 1e-9);
    return [-most * 1.25, most * 0.9]; // air above the surface for the reading
  }
  return [0, 1];
}

function listsOf(window: ChartWindow, key: string): (number | null)[][] {
  const found = window.lines[key];
  return found ? [found.low ?? found.value, found.high ?? found.value] : [];
}

/** Room below and, for the readings, above; both as shares of the span. */
function padded([low, high]: [number, number], below: number, above: number): [number, number] {
  const span = high - low || Math.abs(high) * 0.01 || 1;
  return [low - span * below, high + span * above];
}
