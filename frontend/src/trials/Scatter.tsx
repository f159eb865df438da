import { useSize } from "@/ui";
import type { FigureInfo } from "@/api";
import { contourSteps, shortValue } from "./model";

interface Props {
  x: number[];
  y: number[];
  numbers: number[];
  xInfo: FigureInfo | undefined;
  yInfo: FigureInfo | undefined;
  xName: string;
  yName: string;
  /** Points with a mark of their own, and its word. */
  marks: { number: number | null; word: string; tone: string }[];
  /** The runs of a front, and whether a line joins them. */
  front?: number[];
  isJoined?: boolean;
  chosen: number | null;
  onChoose: (number: number) => void;
}

const LEFT = 62;
const BOTTOM = 44;
const TOP = 12;
const RIGHT = 16;

/** Two figures of many runs: a dot a run. */
export function Scatter({
  x,
  y,
  numbers,
  xInfo,
  yInfo,
  xName,
  yName,
  marks,
  front = [],
  isJoined = true,
  chosen,
  onChoose,
}: Props) {
  const { host, width, height } = useSize<HTMLDivElement>({ width: 320, height: 220 });
  const xs = ends(x);
  const ys = ends(y);
  const across = (value: number) => LEFT + ((value - xs.low) / (xs.high - xs.low)) * (width - LEFT - RIGHT);
  const up = (value: number) => height - BOTTOM - ((value - ys.low) / (ys.high - ys.low)) * (height - BOTTOM - TOP);
  const place = new Map(numbers.map((number, index) => [number, index]));
  const at = (number: number | null) => (number === null ? undefined : place.get(number));
  const onFront = new Set(front);
  const line = front.flatMap((number) => {
    const index = place.get(number);
    return index === undefined ? [] : [`${across(x[index]!).toFixed(1)},${up(y[index]!).toFixed(1)}`];
  });
  return (
    <div ref={host} className="h-full w-full overflow-hidden">
      <svg
        width={width}
        height={height}
        className="block"
        role="group"
        aria-label={`${yName} against ${xName}, ${numbers.length} runs`}
      >
        {contourSteps([xs.low, xs.high], 6).map((level) => (
          <g key={level}>
            <line
              x1={across(level)}
              x2={across(level)}
              y1={TOP}
              y2={height - BOTTOM}
              stroke={level === 0 ? "var(--soft)" : "var(--line)"}
            />
            <text
              x={across(level)}
              y={height - BOTTOM + 16}
              fontSize="11"
              textAnchor="middle"
              fill="var(--soft)"
              className="num"
            >
              {shortValue(xInfo, level)}
            </text>
          </g>
        ))}
        {contourSteps([ys.low, ys.high], 6).map((level) => (
          <g key={level}>
            <line
              x1={LEFT}
              x2={width - RIGHT}
              y1={up(level)}
              y2={up(level)}
              stroke={level === 0 ? "var(--soft)" : "var(--line)"}
            />
            <text x={LEFT - 6} y={up(level) + 4} fontSize="11" textAnchor="end" fill="var(--soft)" className="num">
              {shortValue(yInfo, level)}
            </text>
          </g>
        ))}
        {numbers.map((number, index) => (
          <circle
            key={number}
            data-dot={number}
            cx={across(x[index]!)}
            cy={up(y[index]!)}
            r={number === chosen ? 5 : 2.6}
            fill={number === chosen ? "var(--ink)" : onFront.has(number) ? "var(--short)" : "var(--long)"}
            fillOpacity={number === chosen || onFront.has(number) ? 1 : 0.5}
            className="cursor-pointer"
            onClick={() => onChoose(number)}
          />
        ))}
        {isJoined && line.length > 1 && (
          <polyline points={line.join(" ")} fill="none" stroke="var(--short)" strokeWidth="1.4" />
        )}
        {marks.map(({ number, word, tone }) => {
          const index = at(number);
          if (index === undefined) return null;
          return (
            <g key={word} className="pointer-events-none">
              <circle cx={across(x[index]!)} cy={up(y[index]!)} r="8" fill="none" stroke={tone} strokeWidth="2" />
              <text
                x={across(x[index]!) + (across(x[index]!) > width - 90 ? -12 : 12)}
                y={up(y[index]!) - 6}
                textAnchor={across(x[index]!) > width - 90 ? "end" : "start"}
                fontSize="12"
                fontStyle="italic"
                stroke="var(--paper)"
                strokeWidth="3"
                paintOrder="stroke"
                fill={tone}
              >
                {word}
              </text>
            </g>
          );
        })}
        <text
          x={(LEFT + width) / 2}
          y={height - 8}
          fontSize="12"
          fontWeight="600"
          textAnchor="middle"
          fill="var(--ink)"
        >
          {xName}
        </text>
        <text
          transform={`translate(13 ${(height - BOTTOM) / 2}) rotate(-90)`}
          fontSize="12"
          fontWeight="600"
          textAnchor="middle"
          fill="var(--ink)"
        >
          {yName}
        </text>
      </svg>
    </div>
  );
}

function ends(values: number[]): { low: number; high: number } {
  const low = Math.min(...values, 0);
  const high = Math.max(...values, 0);
  const room = (high - low || 1) * 0.04;
  return { low: low - room, high: high + room };
}
