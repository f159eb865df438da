import type { SceneLine } from "@/api";
import { colorOf } from "@/ui";
import { barWidth, centre, xOf, yOf, type Canvas, type Values } from "./canvas";
import { rowsIn, type PaneInfo } from "./panes";

export function drawPanel(pane: PaneInfo, c: Canvas): void {
  for (const level of c.run.scene.levels) if (level.panel === pane.name) drawLevel(c, level.value);
  for (const line of c.run.scene.lines) if (line.panel === pane.name) drawLine(c, line);
}

export function drawLine(c: Canvas, line: SceneLine): void {
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
export function strokeReach(c: Canvas, low: Values, high: Values, color: string): void {
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

export function drawLevel(c: Canvas, value: number): void {
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
export function drawShade(c: Canvas, key: string, color: string | null, strength: number | null): void {
  const shade = c.window.shades[key];
  if (!shade) return;
  const { ctx } = c;
  const [from, to] = rowsIn(c.window, c.view);
  ctx.globalAlpha = strength === null ? (color === "shallow" ? 0.45 : 0.16) : strength / 100;
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
export function area(
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
