import type { ConversionChecked } from "@/api";
const WIDTH = 900;

/** Both lines around the first difference, and below them their difference, bar by bar. */
export function ConversionChart({ result }: { result: ConversionChecked }) {
  const { chart } = result;
  const x = (bar: number) => ((bar + 0.5) / chart.time.length) * WIDTH;
  const values = [...chart.found, ...chart.original].filter((value) => value !== null);
  if (values.length === 0) return <p className="text-soft">Neither is known on these bars.</p>;
  const y = scale(values, 8, 180);
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
        <path d={line(chart.original, x, y)} fill="none" stroke="var(--brass)" strokeWidth="4" opacity="0.55" />
        <path d={line(chart.found, x, y)} fill="none" stroke="var(--long)" strokeWidth="1.4" />
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

function scale(values: number[], top: number, height: number): (value: number) => number {
  const low = Math.min(...values);
  const room = Math.max(...values) - low || 1;
  return (value) => top + height - ((value - low) / room) * height;
}

function line(values: (number | null)[], x: (bar: number) => number, y: (value: number) => number): string {
  let path = "";
  let open = false;
  values.forEach((value, bar) => {
    if (value !== null) path += `${open ? "L" : "M"}${x(bar).toFixed(1)} ${y(value).toFixed(1)}`;
    open = value !== null;
  });
  return path;
}
