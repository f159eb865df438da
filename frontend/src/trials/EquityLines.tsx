import { plain, useSize } from "@/ui";
import { contourSteps } from "./model";

export interface Line {
  name: string;
  times: number[];
  values: (number | null)[];
  stroke: string;
  dash?: string;
}

interface Props {
  lines: Line[];
  /** Where one stretch ends and the next begins. */
  edges?: number[];
  label: string;
}

const LEFT = 64;
const RIGHT = 12;
const TOP = 8;
const BOTTOM = 22;

/** Money over time, several lines on one scale. */
export function EquityLines({ lines, edges = [], label }: Props) {
  const { host, width, height } = useSize<HTMLDivElement>({ width: 320, height: 140 });
  const shown = lines.filter((line) => line.values.length > 0);
  const times = shown.flatMap((line) => [line.times[0]!, line.times.at(-1)!]);
  const values = shown.flatMap((line) => line.values).filter((value): value is number => value !== null);
  const [from, to] = [Math.min(...times), Math.max(...times)];
  const [low, high] = [
    values.reduce((a, b) => Math.min(a, b), Infinity),
    values.reduce((a, b) => Math.max(a, b), -Infinity),
  ];
  const x = (time: number) => LEFT + ((time - from) / (to - from || 1)) * (width - LEFT - RIGHT);
  const y = (value: number) => height - BOTTOM - ((value - low) / (high - low || 1)) * (height - BOTTOM - TOP);
  return (
    <div ref={host} className="h-full w-full overflow-hidden">
      {shown.length > 0 && (
        <svg
          width={width}
          height={height}
          className="block"
          role="img"
          aria-label={`${label}: ${shown.map((line) => `${line.name} ends at ${plain(line.values.at(-1) ?? 0, 0)}`).join(", ")}`}
        >
          {contourSteps([low, high], 4).map((level) => (
            <g key={level}>
              <line x1={LEFT} x2={width - RIGHT} y1={y(level)} y2={y(level)} stroke="var(--line)" />
              <text x={LEFT - 6} y={y(level) + 4} fontSize="11" textAnchor="end" fill="var(--soft)" className="num">
                {plain(level, 0)}
              </text>
            </g>
          ))}
          {edges.map((edge) => (
            <line
              key={edge}
              x1={x(edge)}
              x2={x(edge)}
              y1={TOP}
              y2={height - BOTTOM}
              stroke="var(--line)"
              strokeDasharray="3 3"
            />
          ))}
          {shown.map((line) => (
            <polyline
              key={line.name}
              points={line.values
                .flatMap((value, place) =>
                  value === null ? [] : [`${x(line.times[place]!).toFixed(1)},${y(value).toFixed(1)}`],
                )
                .join(" ")}
              fill="none"
              stroke={line.stroke}
              strokeWidth="1.5"
              strokeDasharray={line.dash}
            />
          ))}
          <text x={LEFT} y={height - 6} fontSize="11" fill="var(--soft)">
            {day(from)}
          </text>
          <text x={width - RIGHT} y={height - 6} fontSize="11" fill="var(--soft)" textAnchor="end">
            {day(to)}
          </text>
        </svg>
      )}
    </div>
  );
}

function day(moment: number): string {
  return new Date(moment * 1000).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone: "UTC",
  });
}

/** The lines by their looks, for the text beside the drawing. */
export function LineKey({ lines }: { lines: Line[] }) {
  return (
    <span className="flex flex-wrap gap-x-4 text-note text-soft">
      {lines.map((line) => (
        <span key={line.name} className="flex items-center gap-1">
          <svg width="22" height="8" aria-hidden>
            <line x1="0" x2="22" y1="4" y2="4" stroke={line.stroke} strokeWidth="2" strokeDasharray={line.dash} />
          </svg>
          {line.name}
        </span>
      ))}
    </span>
  );
}
