import type { Berth } from "./descent";

export const ROW = 42;
const LANE = 18;
const LEFT = 12;

const x = (column: number) => LEFT + column * LANE;
const y = (row: number) => row * ROW + ROW / 2;

/** The channel at the left of the logbook: each run a ring on its line, arms beside it, a quay where a line begins. */
export function Channel({ berths, columns, chosen }: { berths: Berth[]; columns: number; chosen: boolean[] }) {
  const width = LEFT * 2 + (columns - 1) * LANE;
  return (
    <svg width={width} height={berths.length * ROW} className="block flex-none" aria-hidden>
      {berths.map((berth, row) => {
        const [cx, cy] = [x(berth.column), y(row)];
        const path = berth.from
          ? berth.from.column === berth.column
            ? `M${cx} ${cy}V${y(berth.from.row)}`
            : `M${cx} ${cy}V${y(berth.from.row) - ROW * 0.75}C${cx} ${y(berth.from.row) - ROW * 0.3} ${x(berth.from.column)} ${y(berth.from.row) - ROW * 0.5} ${x(berth.from.column)} ${y(berth.from.row)}`
          : berth.isFromBelow
            ? `M${cx} ${cy}V${berths.length * ROW}`
            : null;
        return (
          path && <path key={row} d={path} fill="none" stroke="var(--shallow)" strokeWidth="7" strokeLinecap="round" />
        );
      })}
      {berths.map((berth, row) => {
        const [cx, cy] = [x(berth.column), y(row)];
        return (
          <g key={row} stroke={berth.isGivenUp ? "var(--soft)" : "var(--ink)"} strokeWidth="1.4">
            {berth.isFirst && <path d={`M${cx - 8} ${cy + 9}H${cx + 8}`} />}
            <circle cx={cx} cy={cy} r={berth.isGivenUp ? 4 : 5} fill={chosen[row] ? "var(--ink)" : "var(--panel)"} />
            {berth.isGivenUp && <path d={`M${cx - 2} ${cy - 2}l4 4m0 -4l-4 4`} strokeWidth="1" />}
          </g>
        );
      })}
    </svg>
  );
}
