import { barWidth, centre, xOf, yOf, type Canvas, type Values } from "./canvas";
import { area, strokeReach } from "./drawLines";
import { rowsIn } from "./panes";

export function drawPosition(c: Canvas): void {
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
export function drawWater(c: Canvas): void {
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
export function drawEquity(c: Canvas): void {
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
