import { contours } from "d3-contour";
import { useMemo, useState, type KeyboardEvent, type MouseEvent } from "react";
import { AxisName, PlotWord, roundLevels, useSize } from "@/ui";
import type { ChartProps } from "./chart";
import { axisLabel, every, shortValue, type Grid } from "../model";

const LEFT = 56;
const BOTTOM = 44;
const MOST_FINE = 6;
const MOST_NODES = 2_500; // beyond, a node for each place would weigh on the page

/** The surface of a sweep as a sea chart: tints and contours of equal result, figures as soundings. */
export function DepthChart({ grid, info, plateau, rocks, chosen, onChoose, onOpen }: ChartProps) {
  const { host, width, height } = useSize<HTMLDivElement>({ width: 320, height: 260 });
  const columns = grid.xValues.length;
  const rows = grid.yValues.length;
  const cellWidth = (width - LEFT - 8) / columns;
  const cellHeight = (height - BOTTOM - 8) / rows;
  const bands = useMemo(() => bandsOf(grid), [grid]);
  const [moved, setFocus] = useState<number | null>(null);
  const at = (number: number) => grid.numbers.indexOf(number);
  // The hand begins at what is chosen, or at the plateau.
  const begin = chosen !== null ? at(chosen) : plateau !== null ? at(plateau) : -1;
  const focus = moved ?? Math.max(0, begin);
  const place = (index: number) => ({
    x: LEFT + ((index % columns) + 0.5) * cellWidth,
    y: height - BOTTOM - (Math.floor(index / columns) + 0.5) * cellHeight,
  });
  const skipX = every(columns, 13);
  const skipY = every(rows, 13);
  const missing = grid.numbers.flatMap((number, index) => (number !== null ? [] : [place(index)]));
  const unsounded =
    missing.length === 0 ? null : { x: mean(missing.map((spot) => spot.x)), y: mean(missing.map((spot) => spot.y)) };
  const isEmpty = grid.values.every((value) => value === null);

  const pick = (number: number) => {
    setFocus(null); // the hand goes on from what is chosen
    onChoose(number);
  };
  const onKey = (event: KeyboardEvent) => {
    const step = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: columns, ArrowDown: -columns }[event.key];
    const here = grid.numbers[focus];
    if (event.key === "Enter" && typeof here === "number") onOpen(here);
    if (step === undefined) return;
    event.preventDefault();
    const next = focus + step;
    if (
      next < 0 ||
      next >= grid.values.length ||
      (Math.abs(step) === 1 && Math.floor(next / columns) !== Math.floor(focus / columns))
    )
      return;
    setFocus(next);
    const there = grid.numbers[next];
    if (typeof there === "number") onChoose(there);
  };
  const isLarge = grid.values.length > MOST_NODES;
  const isShown = (index: number) => isMarked(index % columns, skipX) && isMarked(Math.floor(index / columns), skipY);
  const spotAt = (event: MouseEvent<SVGRectElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const column = Math.min(columns - 1, Math.floor(((event.clientX - box.left) / box.width) * columns));
    return Math.min(rows - 1, Math.floor(((box.bottom - event.clientY) / box.height) * rows)) * columns + column;
  };
  const choose = (index: number, act: (number: number) => void) => {
    const number = grid.numbers[index];
    if (typeof number === "number") act(number);
  };
  const chosenAt = chosen === null ? -1 : at(chosen);
  return (
    <div ref={host} className="h-full w-full overflow-hidden">
      <svg
        width={width}
        height={height}
        className="block outline-offset-[-2px]"
        role="application"
        tabIndex={0}
        aria-label={`Depth chart of ${info?.name ?? "the figure"} over ${grid.xName} and ${grid.yName}. Arrow keys choose a run, Enter opens it.`}
        onKeyDown={onKey}
        data-testid="depth-chart"
      >
        <defs>
          <clipPath id="sea">
            <rect x={LEFT} y={8} width={width - LEFT - 8} height={height - BOTTOM - 8} />
          </clipPath>
          <pattern id="unsounded" width="6" height="6" patternUnits="userSpaceOnUse">
            <path d="M0 6 L6 0" stroke="var(--line)" strokeWidth="1" />
          </pattern>
        </defs>
        <rect x={LEFT} y={8} width={width - LEFT - 8} height={height - BOTTOM - 8} fill="var(--panel)" />
        <g clipPath="url(#sea)">
          <g
            transform={`translate(${LEFT} ${height - BOTTOM}) scale(${cellWidth / fineness(grid)} ${-cellHeight / fineness(grid)})`}
          >
            {bands.map((band) => (
              <path
                key={band.level}
                d={band.path}
                fill={band.fill}
                stroke={band.level === 0 ? "var(--ink)" : "var(--soft)"}
                strokeOpacity={band.level === 0 ? 1 : 0.45}
                strokeWidth={isLarge ? 0.4 : band.level === 0 ? 1.4 : 0.7}
                vectorEffect="non-scaling-stroke"
              />
            ))}
          </g>
        </g>
        {isLarge && <Unsounded missing={missing} width={cellWidth} height={cellHeight} />}
        {isLarge && (
          <rect
            x={LEFT}
            y={8}
            width={width - LEFT - 8}
            height={height - BOTTOM - 8}
            fill="transparent"
            className="cursor-pointer"
            data-testid="sea"
            onClick={(event) => choose(spotAt(event), pick)}
            onDoubleClick={(event) => choose(spotAt(event), onOpen)}
          />
        )}
        {grid.values.map((value, index) => {
          if (isLarge && !isShown(index)) return null;
          const { x, y } = place(index);
          const number = grid.numbers[index] ?? null;
          const shown = isShown(index);
          return (
            <g
              key={index}
              data-cell={number ?? undefined}
              onClick={() => number !== null && pick(number)}
              onDoubleClick={() => number !== null && onOpen(number)}
              className={number !== null ? "cursor-pointer" : ""}
            >
              <rect
                x={x - cellWidth / 2}
                y={y - cellHeight / 2}
                width={cellWidth}
                height={cellHeight}
                fill={number !== null ? "transparent" : "url(#unsounded)"}
              >
                <title>{`${grid.xName} ${axisLabel(grid.xValues[index % columns]!)}${grid.yName ? `, ${grid.yName} ${axisLabel(grid.yValues[Math.floor(index / columns)]!)}` : ""}: ${value === null ? (number !== null ? "too few trades, or no meaning" : "not yet sounded") : shortValue(info, value)}`}</title>
              </rect>
              {shown && value !== null && (
                <text
                  x={x}
                  y={y + 3.5}
                  textAnchor="middle"
                  className="num pointer-events-none"
                  fontSize="10.5"
                  fill={value < 0 ? "var(--loss)" : "var(--ink)"}
                >
                  {shortValue(info, value)}
                </text>
              )}
              {shown && value === null && number !== null && (
                <text
                  x={x}
                  y={y + 3.5}
                  textAnchor="middle"
                  className="pointer-events-none"
                  fontSize="10.5"
                  fill="var(--soft)"
                >
                  ·
                </text>
              )}
            </g>
          );
        })}
        {isEmpty && unsounded === null && (
          <text
            x={(width + LEFT) / 2}
            y={height / 2 - 30}
            textAnchor="middle"
            fontSize="14"
            fontStyle="italic"
            fill="var(--soft)"
          >
            too few trades everywhere: lower the least number
          </text>
        )}
        {unsounded && (
          <text
            x={unsounded.x}
            y={unsounded.y}
            textAnchor="middle"
            className="pointer-events-none"
            stroke="var(--panel)"
            strokeWidth={4}
            paintOrder="stroke"
            fontSize="14"
            fontStyle="italic"
            fill="var(--soft)"
          >
            not yet sounded
          </text>
        )}
        {rocks.map((number) => {
          const index = at(number);
          if (index < 0) return null;
          const { x, y } = place(index);
          return (
            <g key={`rock ${number}`} className="pointer-events-none" stroke="var(--loss)" fill="none">
              <circle cx={x} cy={y} r={11} strokeDasharray="2 2" />
              <path
                d={`M${x - 5} ${y - 5} L${x + 5} ${y + 5} M${x - 5} ${y + 5} L${x + 5} ${y - 5}`}
                strokeWidth={1.6}
              />
              <PlotWord x={x + (x > width - 90 ? -14 : 14)} y={y - 8} tone="var(--loss)" isLeft={x > width - 90}>
                {`rock ${shortValue(info, grid.values[index] ?? 0)}`}
              </PlotWord>
            </g>
          );
        })}
        {plateau !== null && at(plateau) >= 0 && <Target {...place(at(plateau))} text="plateau" width={width} />}
        {chosenAt >= 0 && (
          <rect
            {...boxOf(place(chosenAt), cellWidth, cellHeight)}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={2}
            className="pointer-events-none"
          />
        )}
        <rect x={LEFT} y={8} width={width - LEFT - 8} height={height - BOTTOM - 8} fill="none" stroke="var(--ink)" />
        {grid.xValues.map((value, index) =>
          isMarked(index, skipX) ? (
            <text
              key={index}
              x={LEFT + (index + 0.5) * cellWidth}
              y={height - BOTTOM + 16}
              textAnchor="middle"
              fontSize="11"
              className="num"
              fill="var(--soft)"
            >
              {axisLabel(value)}
            </text>
          ) : null,
        )}
        {grid.yName &&
          grid.yValues.map((value, index) =>
            isMarked(index, skipY) ? (
              <text
                key={index}
                x={LEFT - 6}
                y={height - BOTTOM - (index + 0.5) * cellHeight + 4}
                textAnchor="end"
                fontSize="11"
                className="num"
                fill="var(--soft)"
              >
                {axisLabel(value)}
              </text>
            ) : null,
          )}
        <AxisName x={(width + LEFT) / 2} y={height - 8}>
          {grid.xName}
        </AxisName>
        <AxisName x={13} y={(height - BOTTOM) / 2} isUp>
          {grid.yName}
        </AxisName>
      </svg>
    </div>
  );
}

/** Whether a place is one of every `skip`, the first of them a little inside so that its figure keeps clear of the edge. */
function isMarked(index: number, skip: number): boolean {
  return index % skip === Math.floor((skip - 1) / 2);
}

/** Where nothing has run yet, as one shape. */
function Unsounded({ missing, width, height }: { missing: { x: number; y: number }[]; width: number; height: number }) {
  const path = missing
    .map(
      ({ x, y }) =>
        `M${(x - width / 2).toFixed(1)} ${(y - height / 2).toFixed(1)}h${width.toFixed(2)}v${height.toFixed(2)}h${(-width).toFixed(2)}z`,
    )
    .join("");
  return <path d={path} fill="url(#unsounded)" />;
}

function Target({ x, y, text, width }: { x: number; y: number; text: string; width: number }) {
  const left = x > width - 100;
  return (
    <g className="pointer-events-none" stroke="var(--short)" fill="none" strokeWidth={2}>
      <circle cx={x} cy={y} r={12} />
      <path d={`M${x - 18} ${y} h8 M${x + 10} ${y} h8 M${x} ${y - 18} v8 M${x} ${y + 10} v8`} />
      <PlotWord x={x + (left ? -22 : 22)} y={y - 9} tone="var(--short)" isLeft={left} size={13}>
        {text}
      </PlotWord>
    </g>
  );
}

function boxOf({ x, y }: { x: number; y: number }, width: number, height: number) {
  return { x: x - width / 2, y: y - height / 2, width, height };
}

function mean(values: number[]): number {
  return values.reduce((sum, value) => sum + value, 0) / values.length;
}

interface Band {
  level: number;
  path: string;
  fill: string;
}

/** How many steps a place is cut into for smooth lines: fewer where there are many places. */
function fineness(grid: Grid): number {
  return Math.max(1, Math.min(MOST_FINE, Math.floor(360 / Math.max(grid.xValues.length, grid.yValues.length))));
}

/** Filled contours of the known cells, drawn on a finer grid between them so that lines run smoothly. */
function bandsOf(grid: Grid): Band[] {
  const columns = grid.xValues.length;
  const rows = grid.yValues.length;
  const levels = roundLevels(grid.values, 9);
  if (levels.length === 0) return [];
  const steps = fineness(grid);
  const fineWidth = columns * steps;
  const fineHeight = rows * steps;
  const low = grid.values.reduce<number>((least, value) => (value !== null && value < least ? value : least), Infinity);
  const fine = new Float64Array(fineWidth * fineHeight);
  for (let y = 0; y < fineHeight; y++)
    for (let x = 0; x < fineWidth; x++)
      fine[y * fineWidth + x] = between(grid, (x + 0.5) / steps - 0.5, (y + 0.5) / steps - 0.5, low);
  const high = Math.max(...levels, 1e-12);
  const deep = Math.min(...levels, 0);
  return contours()
    .size([fineWidth, fineHeight])
    .thresholds([low - 1, ...levels])([...fine])
    .map((shape) => ({
      level: shape.value,
      path: shape.coordinates
        .map((polygon) =>
          polygon.map((ring) => `M${ring.map(([x, y]) => `${x!.toFixed(2)} ${y!.toFixed(2)}`).join("L")}Z`).join(""),
        )
        .join(""),
      fill:
        shape.value >= 0
          ? `color-mix(in oklab, var(--long) ${Math.round(8 + (shape.value / high) * 44)}%, var(--panel))`
          : `color-mix(in oklab, var(--loss) ${Math.round(6 + (Math.max(shape.value, deep) / (deep || -1)) * 20)}%, var(--panel))`,
    }));
}

/** The value between cells, weighted from the four around; unknown cells count as the lowest. */
function between(grid: Grid, x: number, y: number, low: number): number {
  const columns = grid.xValues.length;
  const rows = grid.yValues.length;
  const x0 = Math.max(0, Math.min(columns - 1, Math.floor(x)));
  const y0 = Math.max(0, Math.min(rows - 1, Math.floor(y)));
  const x1 = Math.min(columns - 1, x0 + 1);
  const y1 = Math.min(rows - 1, y0 + 1);
  const u = Math.max(0, Math.min(1, x - x0));
  const v = Math.max(0, Math.min(1, y - y0));
  const value = (column: number, row: number) => grid.values[row * columns + column] ?? low;
  return (
    value(x0, y0) * (1 - u) * (1 - v) +
    value(x1, y0) * u * (1 - v) +
    value(x0, y1) * (1 - u) * v +
    value(x1, y1) * u * v
  );
}
