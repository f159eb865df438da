import { colorOf } from "@/ui";
import { barWidth, centre, xOf, yOf, type Canvas } from "./canvas";
import { drawLevel, drawLine, drawShade } from "./drawLines";
import { drawBerths, drawMovingLevels } from "./drawTrades";
import { rowsIn } from "./panes";
import { Printed } from "./printed";

export function drawPrice(c: Canvas): void {
  drawBlocked(c);
  drawChosen(c);
  for (const shade of c.run.scene.shades) drawShade(c, shade.key, shade.color, shade.strength);
  drawBars(c);
  for (const level of c.run.scene.levels) if (level.panel === null) drawLevel(c, level.value);
  for (const line of c.run.scene.lines) if (line.panel === null) drawLine(c, line);
  const printed = new Printed(c.ctx, c.ratio);
  drawMarks(c, printed);
  drawBerths(c, printed);
  drawMovingLevels(c);
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
