import { AxisName, LevelLines, PlotWord, PlumbLines, pointsOf, roundLevels, scaleOf, useSize } from "@/ui";
import type { FigureInfo } from "@/api";
import { shortValue } from "./model";

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
  const across = scaleOf([...x, 0], [LEFT, width - RIGHT], 0.04);
  const up = scaleOf([...y, 0], [height - BOTTOM, TOP], 0.04);
  const place = new Map(numbers.map((number, index) => [number, index]));
  const at = (number: number | null) => (number === null ? undefined : place.get(number));
  const onFront = new Set(front);
  const along = front.flatMap((number) => at(number) ?? []);
  return (
    <div ref={host} className="h-full w-full overflow-hidden">
      <svg
        width={width}
        height={height}
        className="block"
        role="group"
        aria-label={`${yName} against ${xName}, ${numbers.length} runs`}
      >
        <PlumbLines
          scale={across}
          levels={roundLevels(across.domain(), 6)}
          text={(level) => shortValue(xInfo, level)}
          from={TOP}
          to={height - BOTTOM}
        />
        <LevelLines
          scale={up}
          levels={roundLevels(up.domain(), 6)}
          text={(level) => shortValue(yInfo, level)}
          from={LEFT}
          to={width - RIGHT}
        />
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
        {isJoined && along.length > 1 && (
          <polyline
            points={pointsOf(
              along.map((index) => y[index]!),
              (place) => across(x[along[place]!]!),
              up,
            )}
            fill="none"
            stroke="var(--short)"
            strokeWidth="1.4"
          />
        )}
        {marks.map(({ number, word, tone }) => {
          const index = at(number);
          if (index === undefined) return null;
          return (
            <g key={word} className="pointer-events-none">
              <circle cx={across(x[index]!)} cy={up(y[index]!)} r="8" fill="none" stroke={tone} strokeWidth="2" />
              <PlotWord
                x={across(x[index]!) + (across(x[index]!) > width - 90 ? -12 : 12)}
                y={up(y[index]!) - 6}
                tone={tone}
                isLeft={across(x[index]!) > width - 90}
              >
                {word}
              </PlotWord>
            </g>
          );
        })}
        <AxisName x={(LEFT + width) / 2} y={height - 8}>
          {xName}
        </AxisName>
        <AxisName x={13} y={(height - BOTTOM) / 2} isUp>
          {yName}
        </AxisName>
      </svg>
    </div>
  );
}
