import type { Preview } from "@/api";
import { pathOf, scaleOf, type Scale } from "./plot";

const WIDTH = 460;
const GAP = 6;

/** The picture as SVG text: price with its lines, each panel below, a strip for every condition. */
export function previewSvg(preview: Preview): string {
  const x = xOver(preview, WIDTH);
  const panels = [...new Set(preview.lines.flatMap((line) => (line.panel === null ? [] : [line.panel])))];
  const priceHeight = panels.length > 0 ? 110 : 150;
  const parts: string[] = [];
  let top = 4;
  parts.push(pricePane(preview, x, top, priceHeight).drawn);
  top += priceHeight + GAP;
  for (const panel of panels) {
    parts.push(panelPane(preview, x, panel, top, 64));
    top += 64 + GAP;
  }
  for (const lane of preview.lanes.slice(0, 3)) {
    parts.push(lanePane(preview, x, lane, top));
    top += 12;
  }
  return svgOf(preview, WIDTH, top, parts);
}

export function svgOf(preview: Preview, width: number, height: number, parts: string[]): string {
  return `<svg viewBox="0 0 ${width} ${height}" width="100%" role="img" aria-label="Example on ${preview.symbol}, ${preview.timeframe}">${parts.join("")}</svg>`;
}

/** Where a bar stands. */
export type Along = (bar: number) => number;
export const xOver =
  (preview: Preview, width: number): Along =>
  (bar) =>
    ((bar + 0.5) / preview.close.length) * width;

/** The bars with the lines and marks over them; with levels the scale is that of bars and levels, and lines far away are cut. */
export function pricePane(
  preview: Preview,
  x: Along,
  top: number,
  height: number,
  levels?: number[],
): { drawn: string; y: Scale } {
  const lines = preview.lines.filter((line) => line.panel === null);
  const also = levels ?? lines.flatMap((line) => line.values);
  const y = scaleOf([...preview.high, ...preview.low, ...also], [top + height, top]);
  const width = Math.max(1, (x(1) - x(0)) * 0.6);
  const tinted = new Map(preview.tints.flatMap((tint) => tint.bars.map((bar) => [bar, colorOf(tint.color)] as const)));
  const parts = preview.close.map((close, bar) => {
    const open = preview.open[bar]!;
    const at = x(bar);
    const ink = tinted.get(bar) ?? "var(--ink)";
    const body = `<rect x="${(at - width / 2).toFixed(1)}" y="${Math.min(y(open), y(close)).toFixed(1)}" width="${width.toFixed(1)}" height="${Math.max(0.8, Math.abs(y(open) - y(close))).toFixed(1)}" fill="${close >= open ? "var(--paper)" : ink}"/>`;
    return `<g stroke="${ink}" stroke-width="0.8"><line x1="${at.toFixed(1)}" x2="${at.toFixed(1)}" y1="${y(preview.high[bar]!).toFixed(1)}" y2="${y(preview.low[bar]!).toFixed(1)}"/>${body}</g>`;
  });
  for (const level of preview.levels) if (level.panel === null) parts.push(levelLine(y(level.value)));
  const over = lines.map((line) => drawn(line.values, x, y, colorOf(line.color))).join("");
  const right = x(preview.close.length);
  parts.push(
    levels
      ? `<svg role="none" y="${top}" width="${right}" height="${height}" viewBox="0 ${top} ${right} ${height}">${over}</svg>`
      : over,
  );
  for (const mark of preview.marks)
    for (const bar of mark.bars) {
      const height = mark.place === "below" ? y(preview.low[bar]!) + 5 : y(preview.high[bar]!) - 5;
      parts.push(
        `<circle cx="${x(bar).toFixed(1)}" cy="${height.toFixed(1)}" r="2" fill="none" stroke="${colorOf(mark.color)}"/>`,
      );
    }
  return { drawn: parts.join(""), y };
}

function panelPane(preview: Preview, x: Along, panel: string, top: number, height: number): string {
  const lines = preview.lines.filter((line) => line.panel === panel);
  const levels = preview.levels.filter((level) => level.panel === panel);
  const values = [...lines.flatMap((line) => line.values), ...levels.map((level) => level.value)];
  if (values.every((value) => value === null)) return "";
  const y = scaleOf(values, [top + height, top]);
  const frame = `<line x1="0" x2="${WIDTH}" y1="${top - 3}" y2="${top - 3}" stroke="var(--line)"/>`;
  const name = `<text x="2" y="${top + 9}" font-size="9" fill="var(--soft)">${escaped(panel)}</text>`;
  return (
    frame +
    levels.map((level) => levelLine(y(level.value))).join("") +
    lines.map((line) => drawn(line.values, x, y, colorOf(line.color))).join("") +
    name
  );
}

function lanePane(preview: Preview, x: Along, lane: Preview["lanes"][number], top: number): string {
  const width = WIDTH / preview.close.length;
  const cells = lane.bars.map(
    (bar) =>
      `<rect x="${(x(bar) - width / 2).toFixed(1)}" y="${top}" width="${width.toFixed(1)}" height="7" fill="var(--deep)"/>`,
  );
  return `<rect x="0" y="${top}" width="${WIDTH}" height="7" fill="var(--line)" opacity="0.4"/>${cells.join("")}<text x="2" y="${top + 7}" font-size="8" fill="var(--ink)">${escaped(lane.name)}</text>`;
}

function levelLine(y: number): string {
  return `<line x1="0" x2="${WIDTH}" y1="${y.toFixed(1)}" y2="${y.toFixed(1)}" stroke="var(--soft)" stroke-dasharray="3 3" stroke-width="0.7"/>`;
}

function drawn(values: (number | null)[], x: Along, y: Scale, color: string): string {
  const path = pathOf(values, x, y);
  return `<path d="${path}" fill="none" stroke="${color}" stroke-width="1.4"/>`;
}

const colorOf = (word: string) => `var(--${word})`;
const escaped = (text: string) => text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
