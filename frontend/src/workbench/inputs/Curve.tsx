import type { FigureInfo, InputInfo } from "@/api";
import { figureText, pointsOf, scaleOf } from "@/ui";
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
  const y = scaleOf([...known, 0], [HEIGHT - 4, 4]);
  const { low, high } = sliderRange(input);
  const along = scaleOf([low, high], [8, WIDTH - 8]);
  const isScale = input.options.length === 0 && input.kind === "number";
  const x = (at: InputValue) =>
    isScale && typeof at === "number" ? along(at) : ((all.indexOf(at) + 0.5) / all.length) * WIDTH;
  const line = pointsOf(
    found.map((point) => point.y),
    (place) => x(found[place]!.value),
    y,
  );
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
            points={line}
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
