import { LANE_HEIGHT, rowsIn } from "./panes";
import { barWidth, centre, xOf, type Canvas } from "./canvas";

export function drawLanes(c: Canvas): void {
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
