import { xOf, type Canvas } from "./canvas";
import { drawEquity, drawPosition, drawWater } from "./drawAccount";
import { drawLanes } from "./drawLanes";
import { drawPanel } from "./drawLines";
import { drawPrice } from "./drawPrice";
import type { PaneInfo } from "./panes";

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
