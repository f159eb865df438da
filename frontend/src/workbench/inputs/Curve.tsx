import type { FigureInfo, InputInfo } from "@/api";
import { figureText } from "@/ui";
import { inputText } from "@/setup";
import { sliderRange } from "../model";
import { curveValues, type CurvePoint, type InputValue } from "./useCurves";

interface Props {
  points: CurvePoint[];
  input: InputInfo;
  value: InputValue;
  figure: FigureInfo;
  onSweep: () => void;
  onTake: (value: InputValue) => void;
}

const WIDTH = 300;
const HEIGHT = 34;
const FEW_TRADES = 30;

/** A figure over an input's range: where it stands, how steep it is around it, and how far from flat. */
export function Curve({ points, input, value, figure, onSweep, onTake }: Props) {
  const all = curveValues(input);
  if (all.length === 0) return null;
  const found = points.map((point) => ({
    ...point,
    y: point.figures?.[figure.key] ?? null,
    isThin: (point.figures?.trades ?? 0) < FEW_TRADES,
  }));
  const known = found.flatMap((point) => (point.y === null ? [] : [point.y]));
  const said =
    known.length > 0
      ? `${figureText(figure, Math.min(...known))} to ${figureText(figure, Math.max(...known))}`
      : points.length === all.length
        ? "no value anywhere"
        : "working it out…";
  const low = Math.min(...known, 0);
  const high = Math.max(...known, 0);
  const y = (at: number) => HEIGHT - 4 - ((at - low) / (high - low || 1)) * (HEIGHT - 8);
  const x = (at: InputValue) => {
    if (typeof at !== "number") return ((all.indexOf(at) + 0.5) / all.length) * WIDTH;
    const range = sliderRange(input);
    return 8 + ((at - range.low) / (range.high - range.low || 1)) * (WIDTH - 16);
  };
  const path = found
    .flatMap((point) => (point.y === null ? [] : [`${x(point.value).toFixed(1)},${y(point.y).toFixed(1)}`]))
    .join(" ");
  return (
    <div className="mt-1" data-testid={`curve-${input.name}`}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        preserveAspectRatio="none"
        height={HEIGHT}
        role="img"
        aria-label={`${figure.name} over ${input.name}: ${said}`}
      >
        <line x1="0" x2={WIDTH} y1={y(0)} y2={y(0)} stroke="var(--line)" />
        <line x1={x(value)} x2={x(value)} y1="0" y2={HEIGHT} stroke="var(--brass)" strokeWidth="1.5" />
        {typeof all[0] === "number" && (
          <polyline
            points={path}
            fill="none"
            stroke="var(--deep)"
            strokeWidth="1.5"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {found.map(
          (point) =>
            point.y !== null && (
              <circle
                key={String(point.value)}
                cx={x(point.value)}
                cy={y(point.y)}
                r="3"
                className="cursor-pointer"
                fill={point.isThin ? "var(--panel)" : "var(--deep)"}
                stroke="var(--deep)"
                data-value={String(point.value)}
                data-y={point.y}
                onClick={() => onTake(point.value)}
              >
                <title>{`${input.name} ${inputText(input, point.value)}: ${figureText(figure, point.y)}, ${point.figures?.trades} trades${point.isThin ? " (under 30)" : ""}`}</title>
              </circle>
            ),
        )}
      </svg>
      <p className="flex text-small leading-4 text-soft">
        <span>
          {figure.name} <span className="num">{said}</span>
          {points.length < all.length && known.length > 0 && " so far"}
        </span>
        <button type="button" className="ml-auto cursor-pointer hover:underline" onClick={onSweep}>
          sweep {input.name}
        </button>
      </p>
    </div>
  );
}
