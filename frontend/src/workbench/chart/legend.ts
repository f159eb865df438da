import type { ChartWindow, Run } from "@/api";
import { plain, signed, timeText } from "@/ui";
import { priceDigits } from "./digits";
import type { PaneInfo } from "./panes";

/** The row of a window that holds a bar, or a place between two; the nearest there is. */
export function rowAt(window: ChartWindow, bar: number): number {
  const row = Math.round((bar - window.first - (window.step - 1) / 2) / window.step);
  return Math.max(0, Math.min(window.x.length - 1, row));
}

/** What stands in a pane's corner before its bars are here. */
export function drawingLegend(symbol: string): HTMLElement[] {
  return [reading(symbol, "font-semibold"), reading("drawing the bars…", "text-soft")];
}

/** The values of a pane at one row of the window. */
export function legendOf(
  info: PaneInfo,
  symbol: string,
  run: Run,
  window: ChartWindow,
  row: number,
  pinned: number | null | undefined,
): HTMLElement[] {
  switch (info.kind) {
    case "price":
      return [...priceReadings(symbol, run, window, row), ...lineReadings(null, run, window, row)];
    case "panel":
      return [reading(info.name, "font-semibold"), ...lineReadings(info.name, run, window, row)];
    case "position":
      return [reading(info.name, "text-soft"), reading(signed(window.floating[row] ?? 0, 0), "")];
    case "water":
      return [reading(`under water ${plain(-(window.drawdown[row] ?? 0), 0)}`, "text-loss")];
    case "equity":
      return [
        reading(`equity ${plain(window.equity.value[row] ?? 0, 0)}`, "font-semibold"),
        reading(`holding ${plain(window.holding[row] ?? 0, 0)}`, "text-soft"),
        ...(pinned === null || pinned === undefined ? [] : [reading(`pinned ${plain(pinned, 0)}`, "text-brass")]),
      ];
    case "lanes":
      return [];
  }
}

function priceReadings(symbol: string, run: Run, window: ChartWindow, row: number): HTMLElement[] {
  const digits = priceDigits(run.tick);
  const names = ["open", "high", "low", "close"] as const;
  return [
    reading(symbol, "font-semibold"),
    reading(timeText(window.time[row]!, run.zone, "full"), "text-soft"),
    reading(names.map((name) => `${name} ${plain(window[name][row]!, digits)}`).join("  "), ""),
    ...(window.step > 1 ? [reading(`${window.step} bars a column`, "text-soft")] : []),
  ];
}

/** The values of the lines of a panel; null is over price. */
function lineReadings(panel: string | null, run: Run, window: ChartWindow, row: number): HTMLElement[] {
  const digits = panel === null ? priceDigits(run.tick) : 2;
  return run.scene.lines
    .filter((line) => line.panel === panel)
    .map((line) => {
      const value = window.lines[line.key]?.value[row];
      const made = reading(`${line.name} ${value == null ? "unknown" : plain(value, digits)}`, "");
      made.style.color = `var(--${line.colors[0]})`;
      return made;
    });
}

function reading(text: string, style: string): HTMLSpanElement {
  const made = document.createElement("span");
  made.textContent = text;
  made.className = style;
  return made;
}
