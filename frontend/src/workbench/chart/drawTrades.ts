import type { ChartWindow } from "@/api";
import { moneyText } from "@/ui";
import { firstTradeEndingFrom } from "../model";
import { xOf, yOf, barWidth, type Canvas } from "./canvas";
import type { Printed } from "./printed";

/** A trade is a berth: a bracket under (long) or over (short) its bars, its profit in the middle, a notch at each price. */
export function drawBerths(c: Canvas, printed: Printed): void {
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
export function drawMovingLevels(c: Canvas): void {
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
