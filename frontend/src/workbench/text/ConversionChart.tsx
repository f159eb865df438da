import type { ConversionChecked } from "@/api";
import { pathOf, scaleOf } from "@/ui";

const WIDTH = 900;

/** Both lines around the first difference, and below them their difference, bar by bar. */
export function ConversionChart({ result }: { result: ConversionChecked }) {
  const { chart } = result;
  const x = (bar: number) => ((bar + 0.5) / chart.time.length) * WIDTH;
  const values = [...chart.found, ...chart.original].filter((value) => value !== null);
  if (values.length === 0) return <p className="text-soft">Neither is known on these bars.</p>;
  const y = scaleOf(values, [188, 8]);
  const differences = chart.difference.filter((value) => value !== null);
  const most = Math.max(...differences.map(Math.abs), result.tolerance);
  const day = (time: number | undefined) => new Date((time ?? 0) * 1000).toISOString().slice(0, 16).replace("T", " ");
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDTH} 270`}
        width="100%"
        role="img"
        aria-label={`${result.name} and ${result.column} around the first difference`}
      >
        <path d={pathOf(chart.original, x, y)} fill="none" stroke="var(--brass)" strokeWidth="4" opacity="0.55" />
        <path d={pathOf(chart.found, x, y)} fill="none" stroke="var(--long)" strokeWidth="1.4" />
        <line x1="0" x2={WIDTH} y1="230" y2="230" stroke="var(--line)" />
        {chart.difference.map((value, bar) =>
          value !== null && Math.abs(value) > result.tolerance ? (
            <line
              key={bar}
              x1={x(bar)}
              x2={x(bar)}
              y1="230"
              y2={230 - (value / most) * 30}
              stroke="var(--loss)"
              strokeWidth={(WIDTH / chart.time.length) * 0.7}
            />
          ) : null,
        )}
      </svg>
      <figcaption className="flex gap-4 text-note text-soft">
        <span>
          <span className="text-long">▬</span> {result.name}
        </span>
        <span>
          <span className="text-brass">▬</span> {result.column}, the original
        </span>
        <span>
          <span className="text-loss">▮</span> their difference, the strip up to {most.toPrecision(3)}
        </span>
        <span className="ml-auto">
          {day(chart.time[0])} to {day(chart.time.at(-1))} UTC
        </span>
      </figcaption>
    </figure>
  );
}
