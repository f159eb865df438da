import { useState, type KeyboardEvent } from "react";
import { AxisName, LevelLines, pointsOf, roundLevels, scaleOf, useSize } from "@/ui";
import type { ChartProps } from "./chart";
import { axisLabel, every, shortValue } from "../model";

const LEFT = 64;
const BOTTOM = 46;
const TOP = 24;

/** A sweep of one input: its line of soundings, and as a broken line what the neighbours of each say. */
export function SoundingLine({ grid, info, plateau, rocks, chosen, onChoose, onOpen }: ChartProps) {
  const { host, width, height } = useSize<HTMLDivElement>({ width: 320, height: 260 });
  const [moved, setFocus] = useState<number | null>(null);
  // The hand begins at what is chosen, or at the plateau.
  const focus = moved ?? Math.max(0, grid.numbers.indexOf(chosen ?? plateau));
  const step = (width - LEFT - 16) / Math.max(1, grid.xValues.length);
  const x = (place: number) => LEFT + (place + 0.5) * step;
  const y = scaleOf([...grid.values, ...grid.scores, 0], [height - BOTTOM, TOP]);
  const skip = every(grid.xValues.length, 16);
  const onKey = (event: KeyboardEvent) => {
    const here = grid.numbers[focus];
    if (event.key === "Enter" && typeof here === "number") return onOpen(here);
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const next = focus + (by ?? 0);
    if (by === undefined || next < 0 || next >= grid.values.length) return;
    event.preventDefault();
    setFocus(next);
    const there = grid.numbers[next];
    if (typeof there === "number") onChoose(there);
  };
  return (
    <div ref={host} className="h-full w-full overflow-hidden">
      <svg
        width={width}
        height={height}
        className="block outline-offset-[-2px]"
        role="application"
        tabIndex={0}
        aria-label={`${info?.name ?? "The objective"} over ${grid.xName}. Left and right choose a run, Enter opens it.`}
        onKeyDown={onKey}
      >
        <LevelLines
          scale={y}
          levels={roundLevels([...grid.values, 0], 9)}
          text={(level) => shortValue(info, level)}
          from={LEFT}
          to={width - 16}
        />
        <polyline
          points={pointsOf(grid.scores, x, y)}
          fill="none"
          stroke="var(--brass)"
          strokeWidth="1.5"
          strokeDasharray="5 4"
        />
        <polyline points={pointsOf(grid.values, x, y)} fill="none" stroke="var(--deep)" strokeWidth="2" />
        {grid.values.map((value, place) => {
          const number = grid.numbers[place] ?? null;
          const isPlateau = number !== null && number === plateau;
          const isRock = number !== null && rocks.includes(number);
          return (
            <g
              key={place}
              data-cell={number ?? undefined}
              className={number === null ? "" : "cursor-pointer"}
              onClick={() => number !== null && (setFocus(null), onChoose(number))}
              onDoubleClick={() => number !== null && onOpen(number)}
            >
              <rect
                x={x(place) - step / 2}
                width={step}
                y={TOP - 16}
                height={height - BOTTOM - TOP + 16}
                fill="transparent"
              />
              {value !== null && (
                <circle
                  cx={x(place)}
                  cy={y(value)}
                  r={number === chosen ? 6 : 3.5}
                  fill={number === chosen ? "var(--ink)" : "var(--deep)"}
                />
              )}
              {value !== null && isPlateau && (
                <circle cx={x(place)} cy={y(value)} r="11" fill="none" stroke="var(--short)" strokeWidth="2" />
              )}
              {value !== null && (isPlateau || isRock) && (
                <text
                  x={x(place)}
                  y={y(value) - 15}
                  fontSize="12"
                  fontStyle="italic"
                  textAnchor="middle"
                  fill={isPlateau ? "var(--short)" : "var(--loss)"}
                >
                  {isPlateau ? "plateau" : "✕ rock"}
                </text>
              )}
              {place % skip === 0 && (
                <text
                  x={x(place)}
                  y={height - BOTTOM + 18}
                  fontSize="11"
                  textAnchor="middle"
                  fill="var(--soft)"
                  className="num"
                >
                  {axisLabel(grid.xValues[place]!)}
                </text>
              )}
            </g>
          );
        })}
        <AxisName x={(LEFT + width) / 2} y={height - 6}>
          {`${grid.xName} · broken: the median of the neighbours`}
        </AxisName>
      </svg>
    </div>
  );
}
