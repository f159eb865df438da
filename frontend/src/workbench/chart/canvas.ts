import type { ChartWindow, LevelsInForce, Run } from "@/api";
import type { Palette } from "@/ui";
import type { View } from "./view";

export type Values = (number | null)[];

/** Everything needed to draw one pane; lengths are canvas pixels. */
export interface Canvas {
  ctx: CanvasRenderingContext2D;
  left: number;
  top: number;
  width: number;
  height: number;
  ratio: number;
  view: View;
  range: [number, number];
  colors: Palette;
  run: Run;
  window: ChartWindow;
  chosen: number | null;
  held: number | null;
  /** The last bar that is shown; everything after it is covered. */
  cover: number | null;
  /** Names of the lanes that are shown, from top to bottom. */
  lanes: string[];
  /** Stops and targets as they were in force, where they move. */
  levels: LevelsInForce[];
  /** Equity of the pinned run at each row of the window; empty without one. */
  pinned: Values;
}

export const xOf = (c: Canvas, bar: number) => c.left + ((bar - c.view.a) / (c.view.b - c.view.a)) * c.width;
export const yOf = (c: Canvas, value: number) =>
  c.top + (1 - (value - c.range[0]) / (c.range[1] - c.range[0])) * c.height;
export const barWidth = (c: Canvas) => c.width / (c.view.b - c.view.a);
export const centre = (c: Canvas, row: number) => c.window.x[row]! + (c.window.step - 1) / 2;
