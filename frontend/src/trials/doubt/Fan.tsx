import type { Resampled } from "@/api";
import { bandOf, LevelLines, plain, pointsOf, scaleOf } from "@/ui";

const WIDTH = 560;
const HEIGHT = 220;
const LEFT = 8;
const RIGHT = 70;

/** Equity of all samples after so many trades: where half of them run, where nine in ten do, and their middle. */
export function Fan({ found }: { found: Resampled }) {
  const { at = [], p5 = [], p25 = [], p50 = [], p75 = [], p95 = [], real = [] } = found.bands;
  const most = at.at(-1) ?? 1;
  const x = scaleOf([0, most], [LEFT, WIDTH - RIGHT]);
  const y = scaleOf([...p5, ...p95, ...real], [HEIGHT - 22, 8]);
  const [low, high] = y.domain() as [number, number];
  const across = (place: number) => x(at[place]!);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full max-w-[560px]"
      role="img"
      aria-label={`Equity of ${found.samples} samples over ${most} trades: nine in ten end between ${plain(p5.at(-1) ?? 0, 0)} and ${plain(p95.at(-1) ?? 0, 0)}`}
    >
      <LevelLines
        scale={y}
        levels={[low, (low + high) / 2, high]}
        text={(money) => plain(money, 0)}
        from={LEFT}
        to={WIDTH - RIGHT}
        isRight
      />
      <polygon points={bandOf(p5, p95, across, y)} fill="var(--deep)" opacity="0.15" />
      <polygon points={bandOf(p25, p75, across, y)} fill="var(--deep)" opacity="0.25" />
      <polyline
        points={pointsOf(p50, across, y)}
        fill="none"
        stroke="var(--deep)"
        strokeWidth="1.5"
        strokeDasharray="4 3"
      />
      <polyline points={pointsOf(real, across, y)} fill="none" stroke="var(--ink)" strokeWidth="1.2" />
      <text x={LEFT} y={HEIGHT - 4} fontSize="11" fill="var(--soft)">
        trades: 0
      </text>
      <text x={WIDTH - RIGHT} y={HEIGHT - 4} fontSize="11" fill="var(--soft)" textAnchor="end" className="num">
        {plain(most, 0)}
      </text>
    </svg>
  );
}
