import { useState } from "react";
import type { Basket, Market } from "@/api";
import {
  LevelLines,
  moneyText,
  moneyTone,
  OneStop,
  Picker,
  plain,
  pointsOf,
  roundLevels,
  scaleOf,
  signed,
  timeText,
  useSize,
} from "@/ui";
import { TimeEnds } from "../EquityLines";

interface TradedProps {
  basket: Basket;
  markets: Market[];
  /** The market whose trades are shown; all of them with none. */
  market: string;
  onMarket: (market: string) => void;
}

const FEW = 50;
const MORE = 200;

/** The trades of all markets in order of exit, newest first; of one of them with its price and where they lie on it. */
export function Traded({ basket, markets, market, onMarket }: TradedProps) {
  const [most, setMost] = useState(FEW);
  const row = basket.rows.find((item) => item.market === market);
  const chosen = basket.trades.filter((trade) => !row || trade.market === market).reverse();
  const shown = chosen.slice(0, most);
  const total = basket.figures.all?.trades ?? 0;
  const settingsOf = (symbol: string) => markets.find((item) => item.symbol === symbol)?.settings;
  const digits = (symbol: string) => `${settingsOf(symbol)?.tick ?? 0.01}`.split(".")[1]?.length ?? 0;
  return (
    <section className="mt-6" aria-labelledby="traded">
      <h2 id="traded" className="mb-1">
        <b>Trades</b> of{" "}
        <Picker
          label="Trades of"
          value={row ? market : ""}
          options={[
            { value: "", label: "all markets" },
            ...basket.rows.map((item) => ({ value: item.market, label: item.market })),
          ]}
          onChange={(next) => {
            setMost(FEW);
            onMarket(next);
          }}
        />
        <span className="text-soft">
          , newest first{total > basket.trades.length && `, of the last ${basket.trades.length} of ${plain(total, 0)}`}
        </span>
      </h2>
      {row && (
        <div className="h-[170px]">
          <Course row={row} times={basket.times} trades={chosen} digits={digits(market)} />
        </div>
      )}
      {chosen.length === 0 && <p className="text-soft">None.</p>}
      {chosen.length > 0 && (
        <OneStop>
          <table className="num w-full text-note whitespace-nowrap" data-testid="basket-trades">
            <thead>
              <tr className="border-b border-line font-sans text-soft">
                {["", "market", "side", "in", "at", "out", "at", "units", "net", "R", "by"].map((name, place) => (
                  <th
                    key={place}
                    scope="col"
                    className={`px-1 py-1 font-normal ${place < 3 || place === 10 ? "text-left" : "text-right"}`}
                  >
                    {name || <span className="sr-only">number</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map((trade) => {
                const at = (moment: number) => timeText(moment, settingsOf(trade.market)?.zone ?? "UTC", "full");
                return (
                  <tr key={trade.number} className="border-b border-line">
                    <td className="px-1 text-right text-soft">{trade.number}</td>
                    <th scope="row" className="px-1 text-left font-normal">
                      <button
                        type="button"
                        className="cursor-pointer hover:underline"
                        title="The trades of this market, and where they lie on its price"
                        onClick={() => onMarket(trade.market)}
                      >
                        {trade.market}
                      </button>
                    </th>
                    <td className={`px-1 ${trade.side === "long" ? "text-long" : "text-short"}`}>{trade.side}</td>
                    <td className="px-1 text-right">{at(trade.entry_time)}</td>
                    <td className="px-1 text-right">{plain(trade.entry_price, digits(trade.market))}</td>
                    <td className="px-1 text-right">{at(trade.exit_time)}</td>
                    <td className="px-1 text-right">{plain(trade.exit_price, digits(trade.market))}</td>
                    <td className="px-1 text-right">{plain(trade.units, trade.units % 1 ? 3 : 0)}</td>
                    <td className={`px-1 text-right ${moneyTone(trade.net)}`}>{moneyText(trade.net)}</td>
                    <td className="px-1 text-right">{trade.r === null ? "–" : signed(trade.r, 2)}</td>
                    <td className="max-w-[110px] truncate px-1 font-sans" title={trade.exit_reason}>
                      {trade.exit_reason}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </OneStop>
      )}
      {chosen.length > shown.length && (
        <button type="button" className="plain-button mt-2" onClick={() => setMost(most + MORE)}>
          Show {Math.min(MORE, chosen.length - most)} more
        </button>
      )}
    </section>
  );
}

const [LEFT, RIGHT, TOP, BOTTOM] = [64, 12, 8, 22];

interface CourseProps {
  row: Basket["rows"][number];
  times: number[];
  trades: Basket["trades"];
  digits: number;
}

/** A market's price over the basket's time, and each of its trades from where it began to where it ended. */
function Course({ row, times, trades, digits }: CourseProps) {
  const { host, width, height } = useSize<HTMLDivElement>({ width: 320, height: 170 });
  const x = scaleOf([times[0], times.at(-1)], [LEFT, width - RIGHT]);
  const y = scaleOf(row.closes, [height - BOTTOM, TOP], 0.05);
  const [from, to] = x.domain() as [number, number];
  return (
    <div ref={host} className="h-full w-full overflow-hidden">
      <svg
        width={width}
        height={height}
        className="block"
        role="img"
        aria-label={`${row.market}: its price, and ${trades.length} trades of the basket on it`}
      >
        <LevelLines
          scale={y}
          levels={roundLevels(y.domain(), 4)}
          text={(level) => plain(level, digits)}
          from={LEFT}
          to={width - RIGHT}
        />
        <polyline
          points={pointsOf(row.closes, (place) => x(times[place]!), y)}
          fill="none"
          stroke="var(--soft)"
          strokeWidth="1"
        />
        {trades.map((trade) => (
          <line
            key={trade.number}
            x1={x(trade.entry_time)}
            y1={y(trade.entry_price)}
            x2={Math.max(x(trade.exit_time), x(trade.entry_time) + 2)}
            y2={y(trade.exit_price)}
            stroke={trade.side === "long" ? "var(--long)" : "var(--short)"}
            strokeWidth="2.5"
            strokeDasharray={trade.net > 0 ? undefined : "2 2"}
          />
        ))}
        <TimeEnds from={from} to={to} left={LEFT} right={width - RIGHT} y={height - 6} />
      </svg>
    </div>
  );
}
