import type { Basket, FigureInfo } from "@/api";
import { figureText, moneyTone, OneStop, plain } from "@/ui";

/** An amount of price, small or large, to three digits that say something. */
const threeDigits = (value: number) =>
  plain(value, Math.max(0, Math.min(8, 2 - Math.floor(Math.log10(Math.abs(value) || 1)))));

interface RowsProps {
  before: Basket;
  after: Basket | undefined;
  figures: FigureInfo[];
  dropped: string[];
  onTick: (symbol: string) => void;
  onOpen: (symbol: string) => void;
}

/** A market a line: what it earned beside what trading it costs. */
export function Rows({ before, after, figures, dropped, onTick, onOpen }: RowsProps) {
  const info = (key: string) => figures.find((figure) => figure.key === key)!;
  const rows = [...before.rows].sort((a, b) => (b.figures.net_profit ?? 0) - (a.figures.net_profit ?? 0));
  const most = Math.max(1, ...rows.flatMap((row) => row.earned.map(Math.abs)));
  return (
    <OneStop>
      <table className="num w-full text-note whitespace-nowrap" data-testid="basket">
        <thead>
          <tr className="border-b border-line font-sans text-soft">
            {[
              "",
              "market",
              "Over time",
              "Net",
              ...(after ? ["Net now"] : []),
              "Trades",
              "Profit factor",
              "Win rate",
              "Cost of a trade",
              "Day's range",
              "Cost of the range",
            ].map((name, place) => (
              <th
                key={name}
                scope="col"
                className={`px-2 py-1 font-normal whitespace-normal ${place < 2 ? "text-left" : "text-right"}`}
              >
                {name || <span className="sr-only">in the basket</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const now = after?.rows.find((other) => other.market === row.market);
            const share = row.cost_share_of_range;
            return (
              <tr
                key={row.market}
                data-market={row.market}
                className={`border-b border-line ${dropped.includes(row.market) ? "text-soft italic" : ""}`}
              >
                <td className="py-[3px] pl-2">
                  <input
                    type="checkbox"
                    className="accent-base-content"
                    aria-label={`${row.market} in the basket`}
                    checked={!dropped.includes(row.market)}
                    onChange={() => onTick(row.market)}
                  />
                </td>
                <th scope="row" className="px-2 text-left font-normal">
                  <button
                    type="button"
                    className="cursor-pointer font-semibold hover:underline"
                    title="Open this market alone"
                    onClick={() => onOpen(row.market)}
                  >
                    {row.market}
                  </button>
                </th>
                <td className="px-2">
                  <Course values={row.earned} most={most} />
                </td>
                <td
                  className={`px-2 text-right ${dropped.includes(row.market) ? "" : moneyTone(row.figures.net_profit)}`}
                >
                  {figureText(info("net_profit"), row.figures.net_profit)}
                </td>
                {after && (
                  <td className="px-2 text-right">
                    {now ? figureText(info("net_profit"), now.figures.net_profit) : "left out"}
                  </td>
                )}
                <td className="px-2 text-right">{figureText(info("trades"), row.figures.trades)}</td>
                <td className="px-2 text-right">{figureText(info("profit_factor"), row.figures.profit_factor)}</td>
                <td className="px-2 text-right">{figureText(info("win_rate"), row.figures.win_rate)}</td>
                <td className="px-2 text-right">{row.trade_cost === null ? "–" : threeDigits(row.trade_cost)}</td>
                <td className="px-2 text-right">{row.day_range === null ? "–" : threeDigits(row.day_range)}</td>
                <td
                  className={`px-2 text-right ${share !== null && share > 0.1 ? "font-semibold text-loss" : ""}`}
                  title="Cost of a trade over the day's range: above a tenth, most of what moves is paid away"
                >
                  {share === null ? "–" : `${plain(share * 100, 1)} %`}
                </td>
              </tr>
            );
          })}
          {Object.entries(before.too_dear).map(([market, share]) => (
            <tr key={market} data-market={market} className="border-b border-line text-soft italic">
              <td />
              <th scope="row" className="px-2 py-[3px] text-left font-normal">
                {market}
              </th>
              <td colSpan={after ? 9 : 8} className="px-2 text-right">
                not run: a round trip costs {plain(share, 1)} % of the middle day's range
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </OneStop>
  );
}

/** What a market earned over time, all markets drawn to one height. */
function Course({ values, most }: { values: number[]; most: number }) {
  const points = values.map((value, at) => `${(80 * at) / Math.max(1, values.length - 1)},${11 - (10 * value) / most}`);
  return (
    <svg viewBox="0 0 80 22" className="h-[22px] w-14" aria-hidden>
      <path d="M0 11H80" stroke="var(--line)" />
      <polyline points={points.join(" ")} fill="none" stroke="var(--deep)" strokeWidth="1.2" />
    </svg>
  );
}
