import type { Distribution } from "@/api";
import { scaleOf } from "@/ui";

const WIDTH = 150;
const HEIGHT = 34;

/** How the samples of one measure lie: a pillar a step, the run as a plumb line, their middle dashed. */
export function Samples({ row, said }: { row: Distribution; said: string }) {
  const { edges, counts, real, p50 } = row;
  if (edges.length === 0) return null;
  const x = scaleOf([...edges, real], [2, WIDTH - 2]);
  const tall = scaleOf([0, ...counts, 1], [0, HEIGHT - 4]);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={said}
      className="block"
    >
      <title>{said}</title>
      {counts.map((count, place) => {
        const [left, right] = [x(edges[place]!), x(edges[place + 1]!)];
        const height = tall(count);
        return (
          <rect
            key={place}
            x={left}
            y={HEIGHT - 1 - height}
            width={Math.max(1.5, right - left - 0.6)}
            height={height}
            fill="var(--deep)"
            opacity="0.4"
          />
        );
      })}
      <line x1="0" x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} stroke="var(--soft)" />
      {p50 !== null && <line x1={x(p50)} x2={x(p50)} y1={2} y2={HEIGHT} stroke="var(--deep)" strokeDasharray="3 2" />}
      {real !== null && (
        <>
          <line x1={x(real)} x2={x(real)} y1={4} y2={HEIGHT} stroke="var(--ink)" strokeWidth="1.6" />
          <circle cx={x(real)} cy={3} r={2.5} fill="var(--ink)" />
        </>
      )}
    </svg>
  );
}
