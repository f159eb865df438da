import type { MoveUnit } from "@/api";
import { plain, signed } from "./format";

/** What moves are told in. */
export const MOVE_UNITS: Record<MoveUnit, string> = {
  points: "points",
  percent: "percent",
  atr: "multiples of ATR(14)",
};

interface Moves {
  horizons: number[];
  moves: (number | null)[];
  low: (number | null)[];
  high: (number | null)[];
  every: (number | null)[];
}

const WIDTH = 88;
const HEIGHT = 30;

/** What price did after a condition turned yes: the mean move with its 95 % band, against that of all bars. */
export function MoveFan({ of }: { of: Moves }) {
  const known = [...of.low, ...of.high, ...of.every].filter((value): value is number => value !== null);
  const last = of.moves.at(-1);
  if (known.length === 0 || last === null || last === undefined)
    return <span className="w-[88px] flex-none text-right text-small text-soft">too few</span>;
  const most = Math.max(...known.map(Math.abs), 1e-12);
  const x = (place: number) => ((place + 1) / of.horizons.length) * WIDTH;
  const y = (value: number) => HEIGHT / 2 - (value / most) * (HEIGHT / 2 - 2);
  const path = (values: (number | null)[]) =>
    values
      .map((value, place) =>
        value === null ? "" : `${place === 0 ? `M0 ${HEIGHT / 2}L` : "L"}${x(place).toFixed(1)} ${y(value).toFixed(1)}`,
      )
      .join("");
  const reach = [
    ...of.high.map((value, place) => [x(place), y(value ?? 0)]),
    ...of.low.map((value, place) => [x(place), y(value ?? 0)]).reverse(),
  ];
  const bars = of.horizons.at(-1) ?? 0;
  const said = `After ${plain(bars, 0)} bars ${signed(last, 2)} on average, 95 % band ${signed(of.low.at(-1) ?? 0, 2)} to ${signed(of.high.at(-1) ?? 0, 2)}; after any bar ${signed(of.every.at(-1) ?? 0, 2)}`;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={said}
      className="flex-none"
    >
      <title>{said}</title>
      <line x1="0" x2={WIDTH} y1={HEIGHT / 2} y2={HEIGHT / 2} stroke="var(--line)" />
      <polygon
        points={[`0,${HEIGHT / 2}`, ...reach.map(([px, py]) => `${px!.toFixed(1)},${py!.toFixed(1)}`)].join(" ")}
        fill="var(--deep)"
        opacity="0.2"
      />
      <path d={path(of.every)} fill="none" stroke="var(--brass)" strokeDasharray="2 2" />
      <path d={path(of.moves)} fill="none" stroke="var(--ink)" strokeWidth="1.4" />
    </svg>
  );
}
