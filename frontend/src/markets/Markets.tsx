import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { marketsQuery, type Market } from "@/api";
import { Loading, plain, Trouble } from "@/ui";
import { ImportPanel } from "./ImportPanel";
import { coverageSpan, shareOf, yearsIn } from "./model";

/** What is stored, and bringing in more. */
export function Markets({ onOpen }: { onOpen: (market: string, timeframe: string) => void }) {
  const markets = useQuery(marketsQuery);
  const [importing, setImporting] = useState(false);
  return (
    <section className="flex h-full flex-col">
      <header className="flex h-[46px] flex-none items-center justify-between border-b border-line px-4">
        <h1 className="text-base">Markets</h1>
        {!importing && (
          <button type="button" className="main-button" onClick={() => setImporting(true)}>
            Import bars
          </button>
        )}
      </header>
      <div className="min-h-0 flex-1 overflow-auto">
        {importing && <ImportPanel known={markets.data ?? []} onClose={() => setImporting(false)} onOpen={onOpen} />}
        {markets.isPending && <Loading what="Reading the markets" />}
        {markets.error && <Trouble error={markets.error.message} />}
        {markets.data?.length === 0 && !importing && <p className="p-6 text-soft">No market yet. Import a file of bars to begin.</p>}
        {markets.data && markets.data.length > 0 && <Coverage markets={markets.data} onOpen={onOpen} />}
      </div>
    </section>
  );
}

function Coverage({ markets, onOpen }: { markets: Market[]; onOpen: (market: string, timeframe: string) => void }) {
  const span = coverageSpan(markets);
  const years = yearsIn(span);
  return (
    <table className="w-full text-left">
      <thead className="text-soft">
        <tr className="border-b border-line">
          <th className="w-72 px-4 py-2 font-normal">Market</th>
          <th className="w-64 px-2 font-normal">Session, spread</th>
          <th className="w-40 px-2 font-normal">Stored</th>
          <th className="px-2 font-normal">
            <div className="relative h-5">
              {years.map((year) => (
                <span key={year.label} className="num absolute text-[11px]" style={{ left: `${year.at * 100}%` }}>
                  {year.label}
                </span>
              ))}
            </div>
          </th>
        </tr>
      </thead>
      <tbody>
        {markets.map((market) => (
          <tr key={market.symbol} className="border-b border-line align-top hover:bg-base-100">
            <td className="px-4 py-2">
              <button
                type="button"
                className="cursor-pointer font-semibold text-long underline-offset-2 hover:underline"
                onClick={() => onOpen(market.symbol, market.bars[0]?.timeframe ?? "1d")}
              >
                {market.symbol}
              </button>
              <div className="text-soft">{market.title}</div>
            </td>
            <td className="px-2 py-2 text-soft">
              {String(market.settings.session)}, {String(market.settings.days)}
              <div>
                spread {String(market.settings.spread)} {String(market.settings.spread_unit) === "price" ? "points" : String(market.settings.spread_unit)}, tick{" "}
                {String(market.settings.tick)}
              </div>
            </td>
            <td className="num px-2 py-2">
              {market.bars.map((bars) => (
                <div key={bars.timeframe}>
                  {bars.timeframe}: {plain(bars.rows, 0)} bars
                </div>
              ))}
            </td>
            <td className="px-2 py-2 pr-6">
              {market.bars.map((bars) => {
                const place = shareOf(bars, span);
                return (
                  <div key={bars.timeframe} className="relative my-1 h-3 border-b border-line" title={`${bars.timeframe}: ${bars.first} to ${bars.last}`}>
                    <div className="absolute h-3 bg-long opacity-60" style={{ left: `${place.left * 100}%`, width: `${Math.max(place.width * 100, 0.3)}%` }} />
                  </div>
                );
              })}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
