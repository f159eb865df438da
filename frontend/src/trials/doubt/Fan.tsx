import type { Resampled } from "@/api";
import { plain } from "@/ui";

const WIDTH = 560;
const HEIGHT = 220;
const LEFT = 8;
const RIGHT = 70;

/** Equity of all samples after so many trades: where half of them run, where nine in ten do, and their middle. */
export function Fan({ found }: { found: Resampled }) {
  const { at = [], p5 = [], p25 = [], p50 = [], p75 = [], p95 = [], real = [] } = found.bands;
  const low = Math.min(...p5, ...real);
  const high = Math.max(...p95, ...real);
  const most = at.at(-1) ?? 1;
  const x = (trade: number) => LEFT + (trade / most) * (WIDTH - LEFT - RIGHT);
  const y = (money: number) => 8 + (1 - (money - low) / (high - low || 1)) * (HEIGHT - 30);
  const band = (lower: number[], upper: number[]) =>
    [
      ...at.map((trade, place) => `${x(trade).toFixed(1)},${y(upper[place]!).toFixed(1)}`),
      ...at.map((trade, place) => `${x(trade).toFixed(1)},${y(lower[place]!).toFixed(1)}`).reverse(),
    ].join(" ");
  const line = (values: number[]) =>
    values.map((value, place) => `${x(at[place]!).toFixed(1)},${y(value).toFixed(1)}`).join(" ");
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full max-w-[560px]"
      role="img"
      aria-label={`Equity of ${found.samples} samples over ${most} trades: nine in ten end between ${plain(p5.at(-1) ?? 0, 0)} and ${plain(p95.at(-1) ?? 0, 0)}`}
    >
      {[low, (low + high) / 2, high].map((money) => (
        <g key={money}>
          <line x1={LEFT} x2={WIDTH - RIGHT} y1={y(money)} y2={y(money)} stroke="var(--line)" />
          <text x={WIDTH - RIGHT + 6} y={y(money) + 4} fontSize="11" fill="var(--soft)" className="num">
            {plain(money, 0)}
          </text>
        </g>
      ))}
      <polygon points={band(p5, p95)} fill="var(--deep)" opacity="0.15" />
      <polygon points={band(p25, p75)} fill="var(--deep)" opacity="0.25" />
      <polyline points={line(p50)} fill="none" stroke="var(--deep)" strokeWidth="1.5" strokeDasharray="4 3" />
      <polyline points={line(real)} fill="none" stroke="var(--ink)" strokeWidth="1.2" />
      <text x={LEFT} y={HEIGHT - 4} fontSize="11" fill="var(--soft)">
        trades: 0
      </text>
      <text x={WIDTH - RIGHT} y={HEIGHT - 4} fontSize="11" fill="var(--soft)" textAnchor="end" className="num">
        {plain(most, 0)}
      </text>
    </svg>
  );
}
