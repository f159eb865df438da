import type { ChartWindow, LevelsInForce, Run, SceneLine } from "@/api";
import { colorOf, moneyText, plain, type Palette } from "@/ui";
import { firstTradeEndingFrom } from "../model";
import { LANE_HEIGHT, rowsIn, type PaneInfo } from "./panes";
import { Printed } from "./printed";
import type { View } from "./view";

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

type Values = (number | null)[];

const xOf = (c: Canvas, bar: number) => c.left + ((bar - c.view.a) / (c.view.b - c.view.a)) * c.width;
const yOf = (c: Canvas, value: number) => c.top + (1 - (value - c.range[0]) / (c.range[1] - c.range[0])) * c.height;
const barWidth = (c: Canvas) => c.width / (c.view.b - c.view.a);
const centre = (c: Canvas, row: number) => c.window.x[row]! + (c.window.step - 1) / 2;

export function drawPane(pane: PaneInfo, c: Canvas): void {
  const { ctx } = c;
  ctx.save();
  ctx.beginPath();
  ctx.rect(c.left, c.top, c.cover === null ? c.width : Math.max(0, xOf(c, c.cover + 0.5) - c.left), c.height);
  ctx.clip();
  ctx.lineJoin = "round";
  if (pane.kind === "price") drawPrice(c);
  else if (pane.kind === "panel") drawPanel(pane, c);
  else if (pane.kind === "lanes") drawLanes(c);
  else if (pane.kind === "position") drawPosition(c);
  else if (pane.kind === "water") drawWater(c);
  else drawEquity(c);
  drawHeld(c);
  ctx.restore();
  drawCover(c);
}

/** The future, while a run is followed: ruled paper. */
function drawCover(c: Canvas): void {
  if (c.cover === null) return;
  const { ctx } = c;
  const left = Math.max(c.left, xOf(c, c.cover + 0.5));
  if (left >= c.left + c.width) return;
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, c.top, c.left + c.width - left, c.height);
  ctx.clip();
  ctx.fillStyle = c.colors.panel;
  ctx.fillRect(left, c.top, c.left + c.width - left, c.height);
  ctx.strokeStyle = c.colors.line;
  ctx.lineWidth = c.ratio;
  ctx.beginPath();
  for (let y = c.top + 6 * c.ratio; y < c.top + c.height; y += 12 * c.ratio) {
    ctx.moveTo(left, Math.round(y) + 0.5);
    ctx.lineTo(c.left + c.width, Math.round(y) + 0.5);
  }
  ctx.moveTo(Math.round(left) + 0.5, c.top);
  ctx.lineTo(Math.round(left) + 0.5, c.top + c.height);
  ctx.stroke();
  ctx.restore();
}

/** The held bar is a plumb line through all panes. */
function drawHeld(c: Canvas): void {
  if (c.held === null) return;
  const x = Math.round(xOf(c, c.held)) + 0.5;
  c.ctx.strokeStyle = c.colors.brass;
  c.ctx.lineWidth = c.ratio;
  c.ctx.beginPath();
  c.ctx.moveTo(x, c.top);
  c.ctx.lineTo(x, c.top + c.height);
  c.ctx.stroke();
}

function drawPrice(c: Canvas): void {
  drawBlocked(c);
  drawChosen(c);
  for (const shade of c.run.scene.shades) drawShade(c, shade.key, shade.color);
  drawBars(c);
  for (const level of c.run.scene.levels) if (level.panel === null) drawLevel(c, level.value);
  for (const line of c.run.scene.lines) if (line.panel === null) drawLine(c, line);
  const printed = new Printed(c.ctx, c.ratio);
  drawMarks(c, printed);
  drawBerths(c, printed);
  drawMovingLevels(c);
}

function drawPanel(pane: PaneInfo, c: Canvas): void {
  for (const level of c.run.scene.levels) if (level.panel === pane.name) drawLevel(c, level.value);
  for (const line of c.run.scene.lines) if (line.panel === pane.name) drawLine(c, line);
}

/** Where entries are not allowed the ground is hatched; from too far away the hatching would be all there is. */
function drawBlocked(c: Canvas): void {
  if (barWidth(c) < 1.6 * c.ratio) return;
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  const half = (barWidth(c) * c.window.step) / 2;
  ctx.beginPath();
  for (let i = from; i < to;) {
    if (c.window.blocked[i]! < 0.5) {
      i++;
      continue;
    }
    const start = i;
    while (i < to && c.window.blocked[i]! >= 0.5) i++;
    const left = xOf(c, centre(c, start)) - half;
    ctx.rect(left, c.top, xOf(c, centre(c, i - 1)) + half - left, c.height);
  }
  ctx.save();
  ctx.clip();
  ctx.strokeStyle = c.colors.line;
  ctx.globalAlpha = 0.55;
  ctx.lineWidth = c.ratio;
  ctx.beginPath();
  for (let x = c.left - c.height; x < c.left + c.width; x += 7 * c.ratio) {
    ctx.moveTo(x, c.top + c.height);
    ctx.lineTo(x + c.height, c.top);
  }
  ctx.stroke();
  ctx.restore();
}

/** The ground under the bars of the chosen trade. */
function drawChosen(c: Canvas): void {
  if (c.chosen === null) return;
  const entry = c.run.trades.entry_bar[c.chosen];
  const exit = c.run.trades.exit_bar[c.chosen];
  if (entry === undefined || exit === undefined) return;
  const half = barWidth(c) / 2;
  c.ctx.fillStyle = c.colors.shallow;
  c.ctx.globalAlpha = 0.6;
  c.ctx.fillRect(xOf(c, entry) - half, c.top, xOf(c, exit) - xOf(c, entry) + 2 * half, c.height);
  c.ctx.globalAlpha = 1;
}

/** Rising bars are hollow, falling ones filled; from far away only the reach of each column is left. */
function drawBars(c: Canvas): void {
  const { ctx, window } = c;
  const [from, to] = rowsIn(window, c.view);
  const room = barWidth(c) * window.step;
  const ink = inks(c);
  ctx.lineWidth = c.ratio;
  if (room < 3 * c.ratio) {
    ctx.strokeStyle = ink(from);
    ctx.beginPath();
    for (let i = from; i < to; i++) {
      if (i > from && ink(i) !== ink(i - 1)) {
        ctx.stroke();
        ctx.strokeStyle = ink(i);
        ctx.beginPath();
      }
      const x = Math.round(xOf(c, centre(c, i))) + 0.5;
      ctx.moveTo(x, yOf(c, window.high[i]!));
      ctx.lineTo(x, Math.max(yOf(c, window.low[i]!), yOf(c, window.high[i]!) + c.ratio));
    }
    ctx.stroke();
    return;
  }
  const body = Math.max(1, Math.floor((room * 0.62) / c.ratio / 2) * 2) * c.ratio;
  for (let i = from; i < to; i++) {
    ctx.strokeStyle = ctx.fillStyle = ink(i);
    const x = Math.round(xOf(c, centre(c, i))) + 0.5 * (c.ratio % 2);
    const open = yOf(c, window.open[i]!);
    const close = yOf(c, window.close[i]!);
    const top = Math.min(open, close);
    const height = Math.max(Math.abs(open - close), c.ratio);
    ctx.beginPath();
    ctx.moveTo(x, yOf(c, window.high[i]!));
    ctx.lineTo(x, top);
    ctx.moveTo(x, top + height);
    ctx.lineTo(x, yOf(c, window.low[i]!));
    ctx.stroke();
    if (window.close[i]! >= window.open[i]!) ctx.strokeRect(x - body / 2, top, body, height);
    else ctx.fillRect(x - body / 2, top, body, height);
  }
}

/** The colour of every bar's ink: that of the first tint that holds on most of the column, else plain ink. */
function inks(c: Canvas): (row: number) => string {
  const { tints } = c.window;
  if (tints.length === 0) return () => c.colors.ink;
  const colors = c.run.scene.tints.map((word) => colorOf(c.colors, word));
  return (row) => {
    const index = tints.findIndex((share) => share[row]! >= 0.5);
    return colors[index] ?? c.colors.ink;
  };
}

function drawLine(c: Canvas, line: SceneLine): void {
  const found = c.window.lines[line.key];
  if (!found) return;
  const { ctx } = c;
  const color = colorOf(c.colors, line.colors[0]);
  const other = colorOf(c.colors, line.colors[1]);
  ctx.lineWidth = 1.5 * c.ratio;
  if (line.form === "pillars" || line.form === "wash") {
    drawPillars(c, found.value, color, line.form === "wash");
    return;
  }
  if (found.low && found.high) strokeReach(c, found.low, found.high, color);
  const [from, to] = rowsIn(c.window, c.view);
  const stairs = line.form === "stairs";
  let open = false;
  ctx.strokeStyle = color;
  ctx.beginPath();
  for (let i = Math.max(0, from - 1); i < to; i++) {
    const value = found.value[i];
    if (value === null || value === undefined) {
      open = false;
      continue;
    }
    const x = xOf(c, centre(c, i));
    const y = yOf(c, value);
    if (line.form === "points") {
      ctx.moveTo(x + 1.5 * c.ratio, y);
      ctx.arc(x, y, 1.5 * c.ratio, 0, 7);
    } else if (!open) ctx.moveTo(x, y);
    else {
      if (stairs) ctx.lineTo(x, yOf(c, found.value[i - 1]!));
      ctx.lineTo(x, y);
    }
    open = true;
    if (found.tone && other !== color && found.tone[i] !== found.tone[i + 1]) {
      ctx.strokeStyle = found.tone[i] ? color : other;
      ctx.stroke();
      ctx.beginPath();
      ctx.moveTo(x, y);
    }
  }
  const lastTone = found.tone?.[to - 1];
  ctx.strokeStyle = lastTone === false ? other : color;
  ctx.stroke();
}

/** From far away a line is the reach of its values in each column: nothing is skipped. */
function strokeReach(c: Canvas, low: Values, high: Values, color: string): void {
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  ctx.strokeStyle = color;
  ctx.lineWidth = c.ratio;
  ctx.beginPath();
  for (let i = from; i < to; i++) {
    if (low[i] === null || low[i] === undefined) continue;
    const x = Math.round(xOf(c, centre(c, i))) + 0.5;
    ctx.moveTo(x, yOf(c, high[i]!));
    ctx.lineTo(x, yOf(c, low[i]!) + 0.5);
  }
  ctx.stroke();
}

function drawPillars(c: Canvas, values: Values, color: string, wash: boolean): void {
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  const room = barWidth(c) * c.window.step;
  const width = wash ? room : Math.max(c.ratio, room * 0.6);
  const base = yOf(c, Math.max(0, c.range[0]));
  ctx.fillStyle = color;
  ctx.globalAlpha = wash ? 0.25 : 0.7;
  for (let i = from; i < to; i++) {
    const value = values[i];
    if (value === null || value === undefined) continue;
    const y = yOf(c, value);
    ctx.fillRect(xOf(c, centre(c, i)) - width / 2, Math.min(y, base), width, Math.abs(base - y));
  }
  ctx.globalAlpha = 1;
}

function drawLevel(c: Canvas, value: number): void {
  const { ctx } = c;
  const y = Math.round(yOf(c, value)) + 0.5;
  ctx.strokeStyle = c.colors.soft;
  ctx.lineWidth = c.ratio;
  ctx.setLineDash([3 * c.ratio, 3 * c.ratio]);
  ctx.beginPath();
  ctx.moveTo(c.left, y);
  ctx.lineTo(c.left + c.width, y);
  ctx.stroke();
  ctx.setLineDash([]);
}

/** The area between two lines; without a colour of its own it takes the side's: long where the first is above. */
function drawShade(c: Canvas, key: string, color: string | null): void {
  const shade = c.window.shades[key];
  if (!shade) return;
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  ctx.globalAlpha = color === "shallow" ? 0.45 : 0.16;
  const fillOf = (i: number) => {
    const [a, b] = [shade.a[i], shade.b[i]];
    if (a == null || b == null) return null;
    return color ? colorOf(c.colors, color) : a >= b ? c.colors.long : c.colors.short;
  };
  for (let i = from; i < to;) {
    const fill = fillOf(i);
    const start = i;
    while (i < to && fillOf(i) === fill) i++;
    if (fill === null) continue;
    // One shape for each run of a colour (and on to the next bar): pieces side by side would show seams.
    area(
      c,
      start,
      Math.min(i, to - 1),
      (row) => shade.a[row] ?? null,
      (row) => shade.b[row] ?? null,
      fill,
    );
  }
  ctx.globalAlpha = 1;
}

/** Fills between two lines over rows `from` to `to`, both included; the last row may be unknown. */
function area(
  c: Canvas,
  from: number,
  to: number,
  upper: (row: number) => number | null,
  lower: (row: number) => number | null,
  fill: string,
): void {
  const { ctx } = c;
  const rows: number[] = [];
  for (let row = from; row <= to; row++) if (upper(row) !== null && lower(row) !== null) rows.push(row);
  if (rows.length < 2) return;
  ctx.fillStyle = fill;
  ctx.beginPath();
  for (const row of rows) ctx.lineTo(xOf(c, centre(c, row)), yOf(c, upper(row)!));
  for (const row of rows.reverse()) ctx.lineTo(xOf(c, centre(c, row)), yOf(c, lower(row)!));
  ctx.fill();
}

function drawMarks(c: Canvas, printed: Printed): void {
  const { ctx, window } = c;
  const size = 4 * c.ratio;
  ctx.font = `${10.5 * c.ratio}px "IBM Plex Sans Variable", sans-serif`;
  ctx.textAlign = "center";
  for (const mark of window.marks) {
    const row = Math.floor((mark.bar - window.first) / window.step);
    if (mark.bar < c.view.a || mark.bar > c.view.b || row >= window.x.length) continue;
    const under = mark.place === "below";
    const x = xOf(c, mark.bar);
    const y = under ? yOf(c, window.low[row]!) + 9 * c.ratio : yOf(c, window.high[row]!) - 9 * c.ratio;
    const way = under ? 1 : -1;
    ctx.strokeStyle = ctx.fillStyle = colorOf(c.colors, mark.color);
    ctx.lineWidth = 1.4 * c.ratio;
    ctx.beginPath();
    if (mark.form === "ring") ctx.arc(x, y, size * 0.9, 0, 7);
    else if (mark.form === "knot") {
      ctx.moveTo(x - size, y);
      ctx.lineTo(x, y - size);
      ctx.lineTo(x + size, y);
      ctx.lineTo(x, y + size);
      ctx.closePath();
    } else if (mark.form === "pennon") {
      ctx.moveTo(x, y - way * size);
      ctx.lineTo(x, y + way * size * 2);
      ctx.moveTo(x, y + way * size * 2);
      ctx.lineTo(x + size * 2, y + way * size * 1.3);
      ctx.lineTo(x, y + way * size * 0.5);
    } else {
      ctx.moveTo(x - size, y + way * size);
      ctx.lineTo(x, y - way * size * 0.4);
      ctx.lineTo(x + size, y + way * size);
    }
    ctx.stroke();
    if (!mark.label || barWidth(c) <= 3 * c.ratio) continue;
    const at = y + way * size * 2.6 + (under ? 7 * c.ratio : 0);
    if (printed.take(mark.label, x, at, "center")) ctx.fillText(mark.label, x, at);
  }
}

/** Rows of the trades that have a part in view, at most as many as can be told apart from afar. */
function tradesInView(c: Canvas): number[] {
  const { trades } = c.run;
  const found: number[] = [];
  let beyond = 0; // trades stand in the order of their exits: one that left later may have entered earlier
  for (let t = firstTradeEndingFrom(trades, c.view.a - 1); t < trades.entry_bar.length && beyond < 40; t++) {
    if (trades.entry_bar[t]! > c.view.b) beyond++;
    else found.push(t);
  }
  return found;
}

/** Berths of one side over the same bars stand one beyond the other: the row of each. */
function berthRows(c: Canvas, rows: number[]): Map<number, number> {
  const { trades } = c.run;
  const found = new Map<number, number>();
  const ends: Record<string, number[]> = { long: [], short: [] };
  for (const t of [...rows].sort((x, y) => trades.entry_bar[x]! - trades.entry_bar[y]!)) {
    const own = ends[trades.side[t]! > 0 ? "long" : "short"]!;
    const free = own.findIndex((end) => end < trades.entry_bar[t]!);
    const row = free < 0 ? own.length : free;
    own[row] = trades.exit_bar[t]!;
    found.set(t, row);
  }
  return found;
}

/** A trade is a berth: a bracket under (long) or over (short) its bars, its profit in the middle, a notch at each price. */
function drawBerths(c: Canvas, printed: Printed): void {
  const { ctx, run, window } = c;
  const { trades } = run;
  const inView = tradesInView(c);
  const simple = inView.length > 160;
  const rowOf = simple ? new Map<number, number>() : berthRows(c, inView);
  const worded: Berth[] = [];
  ctx.textBaseline = "middle";
  for (const t of inView) {
    const entry = trades.entry_bar[t]!;
    const isOpen = c.cover !== null && trades.exit_bar[t]! > c.cover;
    const exit = isOpen ? c.cover! : trades.exit_bar[t]!;
    if (c.cover !== null && entry > c.cover) continue;
    const isLong = trades.side[t]! > 0;
    const left = xOf(c, entry);
    const right = Math.max(xOf(c, exit), left + 2 * c.ratio);
    const edge = edgeOf(window, entry, exit, isLong);
    if (edge === null) continue;
    const way = isLong ? 1 : -1;
    const y = yOf(c, edge) + way * (16 + (rowOf.get(t) ?? 0) * 26) * c.ratio;
    const tick = -way * 5 * c.ratio;
    const isChosen = t === c.chosen;
    ctx.strokeStyle = isLong ? c.colors.long : c.colors.short;
    ctx.lineWidth = (isChosen ? 3 : 2) * c.ratio;
    ctx.beginPath();
    ctx.moveTo(left, y + tick);
    ctx.lineTo(left, y);
    ctx.lineTo(right, y);
    if (!isOpen) ctx.lineTo(right, y + tick);
    if (!simple) {
      notch(c, left, trades.entry_price[t]!, -1);
      if (!isOpen) notch(c, right, trades.exit_price[t]!, 1);
    }
    ctx.stroke();
    if (simple) continue;
    if (!run.has_moving_levels) {
      dots(c, left, right, trades.stop[t] ?? null, c.colors.loss);
      dots(c, left, right, trades.target[t] ?? null, c.colors.gain);
    }
    if (!isOpen) worded.push({ t, left, right, y, way });
  }
  // Where two would stand in one place, the chosen trade's words do.
  for (const berth of worded) if (berth.t === c.chosen) drawBerthWords(c, berth, printed);
  for (const berth of worded) if (berth.t !== c.chosen) drawBerthWords(c, berth, printed);
}

/** Where a trade's bracket stands: its row among the trades, its ends, its level, and the way away from the bars. */
interface Berth {
  t: number;
  left: number;
  right: number;
  y: number;
  way: number;
}

/** What a trade earned, in the middle of its berth; at its ends, where there is room, the rule that entered and why it left. */
function drawBerthWords(c: Canvas, { t, left, right, y, way }: Berth, printed: Printed): void {
  const { ctx, run } = c;
  const { trades } = run;
  const isChosen = t === c.chosen;
  ctx.font = `600 ${11 * c.ratio}px "IBM Plex Mono", monospace`;
  const text = moneyText(trades.net[t]!);
  const room = ctx.measureText(text).width + 8 * c.ratio;
  const width = right - left;
  if (width <= room * 0.7 && !isChosen && barWidth(c) <= 5 * c.ratio) return;
  const inside = width > room + 10 * c.ratio;
  // Kept whole at the edges of the pane.
  const wanted = (Math.max(left, c.left) + Math.min(right, c.left + c.width)) / 2;
  const middle = Math.max(c.left + room / 2, Math.min(c.left + c.width - room / 2, wanted));
  const at = inside ? y : y + way * 9 * c.ratio;
  if (!printed.take(text, middle, at, "center") && !isChosen) return;
  ctx.textAlign = "center";
  ctx.fillStyle = c.colors.paper;
  if (inside) ctx.fillRect(middle - room / 2, at - 7 * c.ratio, room, 14 * c.ratio);
  ctx.fillStyle = trades.net[t]! > 0 ? c.colors.gain : c.colors.loss;
  ctx.fillText(text, middle, at);
  const below = y + way * 9 * c.ratio;
  ctx.font = `${10 * c.ratio}px "IBM Plex Sans Variable", sans-serif`;
  ctx.fillStyle = c.colors.soft;
  const [rule, reason] = [trades.rules[trades.rule[t]!] ?? "", trades.reasons[trades.reason[t]!] ?? ""];
  const [ruleRoom, reasonRoom] = [ctx.measureText(rule).width, ctx.measureText(reason).width];
  const gap = 12 * c.ratio;
  const hasBoth = inside && width >= ruleRoom + reasonRoom + gap;
  const print = (words: string, x: number, align: "left" | "right") => {
    if (!printed.take(words, x, below, align)) return;
    ctx.textAlign = align;
    ctx.fillText(words, x, below);
  };
  if (hasBoth || (inside && width >= ruleRoom)) print(rule, left, "left");
  if (hasBoth) print(reason, right, "right");
  else if (inside && width >= reasonRoom && width < ruleRoom) print(reason, left, "left");
}

/** Stops and targets bar by bar, as steps: each holds for its bar. */
function drawMovingLevels(c: Canvas): void {
  if (barWidth(c) < 1.5 * c.ratio) return;
  const { ctx } = c;
  const half = barWidth(c) / 2;
  ctx.lineWidth = 1.5 * c.ratio;
  for (const [kind, color] of [
    ["stop", c.colors.loss],
    ["target", c.colors.gain],
  ] as const) {
    ctx.strokeStyle = color;
    ctx.beginPath();
    for (const level of c.levels) {
      const price = level[kind];
      if (price === null || level.bar < c.view.a - 1 || level.bar > c.view.b + 1) continue;
      const x = xOf(c, level.bar);
      const y = Math.round(yOf(c, price)) + 0.5;
      ctx.moveTo(x - half, y);
      ctx.lineTo(x + half, y);
    }
    ctx.stroke();
  }
}

function notch(c: Canvas, x: number, price: number, way: number): void {
  const y = yOf(c, price);
  c.ctx.moveTo(x, y);
  c.ctx.lineTo(x + way * 6 * c.ratio, y);
}

function dots(c: Canvas, left: number, right: number, price: number | null, color: string): void {
  if (price === null) return;
  const { ctx } = c;
  const y = Math.round(yOf(c, price)) + 0.5;
  ctx.strokeStyle = color;
  ctx.lineWidth = 1.5 * c.ratio;
  ctx.setLineDash([1.5 * c.ratio, 3 * c.ratio]);
  ctx.beginPath();
  ctx.moveTo(left, y);
  ctx.lineTo(right, y);
  ctx.stroke();
  ctx.setLineDash([]);
}

/** The lowest low (or highest high) of the bars from entry to exit, as far as the window holds them. */
function edgeOf(window: ChartWindow, entry: number, exit: number, isLong: boolean): number | null {
  const from = Math.max(0, Math.floor((entry - window.first) / window.step));
  const to = Math.min(window.x.length - 1, Math.floor((exit - window.first) / window.step));
  let edge: number | null = null;
  for (let i = from; i <= to; i++) {
    const value = isLong ? window.low[i]! : window.high[i]!;
    if (edge === null || (isLong ? value < edge : value > edge)) edge = value;
  }
  return edge;
}

function drawLanes(c: Canvas): void {
  const { ctx, window } = c;
  const [from, to] = rowsIn(window, c.view);
  const room = Math.max(barWidth(c) * window.step, c.ratio);
  const height = LANE_HEIGHT * c.ratio;
  c.lanes.forEach((lane, index) => {
    const share = window.lanes[lane];
    if (!share) return;
    const top = c.top + 4 * c.ratio + index * height;
    ctx.fillStyle = c.colors.long;
    for (let i = from; i < to; i++) {
      if (!share[i]) continue;
      ctx.globalAlpha = 0.25 + 0.6 * share[i]!;
      ctx.fillRect(
        xOf(c, centre(c, i)) - room / 2,
        top + 2 * c.ratio,
        room - (room > 4 * c.ratio ? c.ratio : 0),
        height - 4 * c.ratio,
      );
    }
    ctx.globalAlpha = 1;
    drawProgress(c, window.progress[lane], top, height, room);
    ctx.strokeStyle = c.colors.line;
    ctx.lineWidth = c.ratio;
    ctx.beginPath();
    ctx.moveTo(c.left, Math.round(top + height) + 0.5);
    ctx.lineTo(c.left + c.width, Math.round(top + height) + 0.5);
    ctx.stroke();
  });
}

/** How far a sequence has come, as a rising outline in its lane. */
function drawProgress(c: Canvas, done: (number | null)[] | undefined, top: number, height: number, room: number): void {
  if (!done) return;
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  ctx.fillStyle = c.colors.brass;
  ctx.globalAlpha = 0.75;
  for (let i = from; i < to; i++) {
    if (!done[i]) continue;
    const rise = (height - 4 * c.ratio) * done[i]!;
    ctx.fillRect(xOf(c, centre(c, i)) - room / 2, top + height - 2 * c.ratio - rise, room, Math.max(1.5 * c.ratio, 1));
  }
  ctx.globalAlpha = 1;
}

function drawPosition(c: Canvas): void {
  const { ctx, window } = c;
  const [from, to] = rowsIn(window, c.view);
  const room = Math.max(barWidth(c) * window.step, c.ratio);
  const base = yOf(c, 0);
  for (let i = from; i < to; i++) {
    const side = window.position[i];
    const profit = window.floating[i] ?? 0;
    if (!side) continue;
    const x = xOf(c, centre(c, i)) - room / 2;
    ctx.fillStyle = profit >= 0 ? c.colors.gain : c.colors.loss;
    const y = yOf(c, profit);
    ctx.fillRect(
      x,
      Math.min(y, base),
      Math.max(c.ratio, room - (room > 4 * c.ratio ? c.ratio : 0)),
      Math.max(Math.abs(y - base), c.ratio),
    );
    ctx.fillStyle = side > 0 ? c.colors.long : c.colors.short;
    ctx.fillRect(x, side > 0 ? c.top + c.height - 3 * c.ratio : c.top, Math.max(c.ratio, room), 3 * c.ratio);
  }
  ctx.strokeStyle = c.colors.line;
  ctx.lineWidth = c.ratio;
  ctx.beginPath();
  ctx.moveTo(c.left, Math.round(base) + 0.5);
  ctx.lineTo(c.left + c.width, Math.round(base) + 0.5);
  ctx.stroke();
}

/** How far equity is below its last peak: a strip that hangs from the surface. */
function drawWater(c: Canvas): void {
  const { ctx, window } = c;
  const [from, to] = rowsIn(window, c.view);
  const depths = window.drawdown.map((depth) => (depth === null ? null : -depth));
  ctx.globalAlpha = 0.14;
  area(
    c,
    from,
    to - 1,
    () => 0,
    (row) => depths[row] ?? null,
    c.colors.loss,
  );
  ctx.globalAlpha = 1;
  path(c, depths, c.colors.loss, 1.4, []);
  const y = Math.round(yOf(c, 0)) + 0.5;
  ctx.strokeStyle = c.colors.soft;
  ctx.lineWidth = c.ratio;
  ctx.beginPath();
  ctx.moveTo(c.left, y);
  ctx.lineTo(c.left + c.width, y);
  ctx.stroke();
}

/** Equity in ink, holding as a dashed line. */
function drawEquity(c: Canvas): void {
  const { window } = c;
  path(c, window.holding, c.colors.soft, 1, [4, 3]);
  if (c.pinned.length > 0) path(c, c.pinned, c.colors.brass, 1.4, []);
  if (window.equity.low && window.equity.high) strokeReach(c, window.equity.low, window.equity.high, c.colors.ink);
  path(c, window.equity.value, c.colors.ink, 1.6, []);
}

function path(c: Canvas, values: Values, color: string, width: number, dash: number[]): void {
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  ctx.strokeStyle = color;
  ctx.lineWidth = width * c.ratio;
  ctx.setLineDash(dash.map((part) => part * c.ratio));
  ctx.beginPath();
  let open = false;
  for (let i = Math.max(0, from - 1); i < to; i++) {
    const value = values[i];
    if (value == null) {
      open = false;
      continue;
    }
    if (open) ctx.lineTo(xOf(c, centre(c, i)), yOf(c, value));
    else ctx.moveTo(xOf(c, centre(c, i)), yOf(c, value));
    open = true;
  }
  ctx.stroke();
  ctx.setLineDash([]);
}

/** Digits that show a price to its tick. */
export function priceDigits(tick: number): number {
  const text = tick.toString();
  if (text.includes("e-")) return Number(text.split("e-")[1]);
  return text.split(".")[1]?.length ?? 0;
}

export function axisText(value: number, digits: number): string {
  if (Math.abs(value) >= 100_000) return `${plain(value / 1000, 0)}k`;
  return plain(value, digits);
}
