import type { MoveUnit } from "@/api";
import { plain, signed } from "./format";
import { bandOf, pathOf, scaleAbout } from "./plot";

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
  // They begin where the condition came: no move, at the left edge.
  const x = (place: number) => (place / of.horizons.length) * WIDTH;
  const y = scaleAbout(known, [HEIGHT - 2, 2]);
  const from0 = (values: (number | null)[]) => [0, ...values];
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
      <polygon points={bandOf(from0(of.low), from0(of.high), x, y)} fill="var(--deep)" opacity="0.2" />
      <path d={pathOf(from0(of.every), x, y)} fill="none" stroke="var(--brass)" strokeDasharray="2 2" />
      <path d={pathOf(from0(of.moves), x, y)} fill="none" stroke="var(--ink)" strokeWidth="1.4" />
    </svg>
  );
}
