import { plain, scaleOf } from "@/ui";
import type { Charges } from "./useLook";

interface Props {
  charges: Charges;
  before: Charges;
}

/** What a round trip costs in a market, against its days' range, now and before what is typed. */
export function Charged({ charges: charged, before }: Props) {
  const money = (value: number) => plain(value, Math.abs(value) < 100 ? 2 : 0);
  const rows = [
    ["spread", charged.spread, before.spread],
    ["commission, both fills", charged.commission, before.commission],
    ["slippage, both fills", charged.slippage, before.slippage],
    ["a round trip of one lot", charged.total, before.total],
    [`a day's range, ${plain(charged.day_range_points, 2)} points`, charged.day_range, before.day_range],
  ] as const;
  return (
    <section aria-label="What a trade costs here" className="min-w-[340px] max-w-[440px] flex-1">
      <h2>What a trade costs here, one lot, money of the market&apos;s currency</h2>
      <p className="text-[18px]" data-testid="round-trip">
        {charged.share === null ? (
          "Its days have no range."
        ) : (
          <>
            A round trip costs <b className="num">{plain(charged.share, 1)} %</b> of a day&apos;s range
            {charged.of_price !== null && `, ${plain(charged.of_price, 3)} % of the price`}.
          </>
        )}
      </p>
      <table className="mt-2 w-full text-note">
        <tbody>
          {rows.map(([name, value, was]) => (
            <tr key={name} className="border-b border-line">
              <th scope="row" className="py-1 text-left font-normal text-soft">
                {name}
              </th>
              <td className="num text-right">
                {value !== was && <span className="text-brass">was {money(was)} </span>}
                {money(value)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Hours charges={charged} before={before} />
    </section>
  );
}

const WIDTH = 420;
const ROW = 18;

/** By hour of the day, percent of that day's range: the middle day, eight days in ten, and as it was. */
function Hours({ charges: { hours, days }, before: stored }: Props) {
  const was = new Map(stored.hours.map((row) => [row.hour, row.middle]));
  const x = scaleOf([0, ...hours.map((row) => row.high), ...was.values()], [56, WIDTH - 64]);
  return (
    <>
      <h3 className="mt-4 text-soft italic">by hour of the day, percent of the day&apos;s range</h3>
      <svg
        viewBox={`0 0 ${WIDTH} ${hours.length * ROW}`}
        className="block w-full"
        role="img"
        aria-label={hours.map((row) => `${row.hour}:00 ${plain(row.middle, 1)} %`).join(", ")}
      >
        {hours.map((row, place) => {
          const y = place * ROW + ROW / 2;
          const before = was.get(row.hour);
          return (
            <g key={row.hour}>
              <text x="0" y={y + 4} fontSize="11" fill="var(--soft)" className="num">
                {String(row.hour).padStart(2, "0")}:00
              </text>
              <line x1={x(0)} x2={WIDTH - 64} y1={y} y2={y} stroke="var(--line)" />
              <line x1={x(row.low)} x2={x(row.high)} y1={y} y2={y} stroke="var(--deep)" strokeWidth="2" opacity="0.6" />
              <circle cx={x(row.middle)} cy={y} r="3.5" fill="var(--ink)" />
              {before !== undefined && Math.abs(before - row.middle) > 1e-9 && (
                <circle cx={x(before)} cy={y} r="4.5" fill="none" stroke="var(--brass)" strokeWidth="1.5" />
              )}
              <text x={WIDTH} y={y + 4} fontSize="11" textAnchor="end" fill="var(--ink)" className="num">
                {plain(row.middle, 1)} %
              </text>
            </g>
          );
        })}
      </svg>
      <p className="text-note text-soft">
        The dot is the middle day, the line eight days in ten of the last {days}; a ring is where it was before what is
        typed.
      </p>
    </>
  );
}
