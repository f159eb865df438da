import { dateText, LevelLines, plain, pointsOf, roundLevels, scaleOf, useSize } from "@/ui";

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
  const x = scaleOf(times, [LEFT, width - RIGHT]);
  const values = shown.flatMap((line) => line.values);
  const y = scaleOf(values, [height - BOTTOM, TOP]);
  const [from, to] = x.domain() as [number, number];
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
          <LevelLines
            scale={y}
            levels={roundLevels(y.domain(), 4)}
            text={(level) => plain(level, 0)}
            from={LEFT}
            to={width - RIGHT}
          />
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
              points={pointsOf(line.values, (place) => x(line.times[place]!), y)}
              fill="none"
              stroke={line.stroke}
              strokeWidth="1.5"
              strokeDasharray={line.dash}
            />
          ))}
          <TimeEnds from={from} to={to} left={LEFT} right={width - RIGHT} y={height - 6} />
        </svg>
      )}
    </div>
  );
}

interface TimeEndsProps {
  from: number;
  to: number;
  left: number;
  right: number;
  y: number;
}

/** The days on which a drawing begins and ends, below it; moments in seconds. */
export function TimeEnds({ from, to, left, right, y }: TimeEndsProps) {
  const day = (moment: number) => dateText(new Date(moment * 1000).toISOString());
  return (
    <>
      <text x={left} y={y} fontSize="11" fill="var(--soft)">
        {day(from)}
      </text>
      <text x={right} y={y} fontSize="11" fill="var(--soft)" textAnchor="end">
        {day(to)}
      </text>
    </>
  );
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
