import type { Preview, Glimpse } from "@/api";
import { moneyText, pricePane, svgOf, xOver, type Along, type Scale } from "@/ui";

type Berth = Glimpse["berths"][number];

/** Price alone, as wide and high as there is room, with the trades that were made there. */
export function stripSvg({ picture, berths }: Glimpse, width: number, height: number): string {
  const x = xOver(picture, width);
  const below = berths.some((berth) => berth.side > 0) ? 22 : 8; // room for berths under the bars
  const price = pricePane(picture, x, 20, height - 20 - below);
  return svgOf(picture, width, height, [price.drawn, ...berths.map((berth) => berthAt(picture, berth, x, price.y))]);
}

/** A bracket under a long trade's bars, over a short one's, with its profit. */
function berthAt(preview: Preview, berth: Berth, x: Along, y: Scale): string {
  const last = berth.last ?? preview.close.length - 1;
  const bars = preview.close.map((_, bar) => bar).slice(berth.first, last + 1);
  const isLong = berth.side > 0;
  const edge = isLong
    ? Math.max(...bars.map((bar) => y(preview.low[bar]!)))
    : Math.min(...bars.map((bar) => y(preview.high[bar]!)));
  const at = edge + (isLong ? 7 : -7);
  const foot = at + (isLong ? -5 : 5);
  const [from, to] = [x(berth.first), x(last)];
  const path = `M${from.toFixed(1)} ${foot.toFixed(1)}V${at.toFixed(1)}H${to.toFixed(1)}${berth.last === null ? "" : `V${foot.toFixed(1)}`}`;
  const tone = isLong ? "var(--long)" : "var(--short)";
  const net = to - from > 30 ? moneyText(berth.net) : "";
  const word = `<text x="${((from + to) / 2).toFixed(1)}" y="${(at + (isLong ? 11 : -3)).toFixed(1)}" font-size="10" text-anchor="middle" fill="${berth.net < 0 ? "var(--loss)" : "var(--gain)"}">${net}</text>`;
  return `<path d="${path}" fill="none" stroke="${tone}" stroke-width="1.4"/>${word}`;
}
