import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { marketsQuery, type Market } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { Loading, OneStop, plain, Trouble } from "@/ui";
import { Baskets } from "./Baskets";
import { ImportPanel } from "./ImportPanel";
import { MarketPage } from "./MarketPage";
import type { OddPlace } from "./Oddities";
import { coverageSpan, shareOf, yearsIn } from "./model";

interface Props {
  /** The market whose page is open. */
  symbol: string | undefined;
  onSymbol: (symbol: string | undefined) => void;
  onOpen: (market: string) => void;
  onShow: (market: string, timeframe: string, place: OddPlace) => void;
}

/** What is stored, and bringing in more; or one market. */
export function Markets({ symbol, onSymbol, onOpen, onShow }: Props) {
  const markets = useQuery(marketsQuery);
  const [importing, setImporting] = useState(false);
  const [leaving, setLeaving] = useState<Removed | null>(null);
  const shown = markets.data?.find((item) => item.symbol === symbol);
  if (shown)
    return (
      <MarketPage
        key={shown.symbol}
        market={shown}
        markets={markets.data ?? []}
        onBack={() => onSymbol(undefined)}
        onOpen={onOpen}
        onShow={onShow}
      />
    );
  return (
    <section className="flex h-full flex-col">
      {symbol !== undefined && markets.data && <Trouble error={`There is no market “${symbol}”.`} />}
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
        {markets.data?.length === 0 && !importing && (
          <p className="p-6 text-soft">No market yet. Import a file of bars to begin.</p>
        )}
        <TakenAway kind="market" />
        {markets.data && markets.data.length > 0 && (
          <OneStop>
            <Coverage
              markets={markets.data}
              onOpen={onOpen}
              onDescribe={onSymbol}
              onDelete={(symbol) => setLeaving({ kind: "market", name: symbol, called: symbol })}
            />
          </OneStop>
        )}
        {markets.data && markets.data.length > 0 && <Baskets markets={markets.data} />}
      </div>
      {leaving && <RemovalDialog what={leaving} onClose={() => setLeaving(null)} />}
    </section>
  );
}

function Coverage({
  markets,
  onOpen,
  onDescribe,
  onDelete,
}: {
  markets: Market[];
  onOpen: (market: string) => void;
  onDescribe: (market: string) => void;
  onDelete: (market: string) => void;
}) {
  const span = coverageSpan(markets);
  const years = yearsIn(span);
  return (
    <table className="w-full text-left">
      <thead className="text-soft">
        <tr className="border-b border-line">
          <th scope="col" className="w-72 px-4 py-2 font-normal">
            Market
          </th>
          <th scope="col" className="w-64 px-2 font-normal">
            Session, spread
          </th>
          <th scope="col" className="w-40 px-2 font-normal">
            Stored
          </th>
          <th scope="col" className="px-2 font-normal">
            <div className="relative h-5">
              {years.map((year) => (
                <span key={year.label} className="num absolute text-small" style={{ left: `${year.at * 100}%` }}>
                  {year.label}
                </span>
              ))}
            </div>
          </th>
          <th scope="col" className="w-20 px-2 font-normal">
            <span className="sr-only">What can be done</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {markets.map((market) => (
          <tr key={market.symbol} className="border-b border-line align-top hover:bg-base-100">
            <th scope="row" className="px-4 py-2 text-left font-normal">
              <button
                type="button"
                className="cursor-pointer font-semibold text-long underline-offset-2 hover:underline"
                title="Open it in the Workbench, under the script that is there"
                onClick={() => onOpen(market.symbol)}
              >
                {market.symbol}
              </button>
              <div className="text-soft">{market.title}</div>
            </th>
            <td className="px-2 py-2 text-soft">
              <button
                type="button"
                className="cursor-pointer text-long hover:underline"
                aria-label={`describe it: ${market.symbol}`}
                onClick={() => onDescribe(market.symbol)}
              >
                describe it
              </button>{" "}
              {String(market.settings.session)}, {String(market.settings.days)}
              <div>
                spread {String(market.settings.spread)}{" "}
                {String(market.settings.spread_unit) === "price" ? "points" : String(market.settings.spread_unit)}, tick{" "}
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
                  <div
                    key={bars.timeframe}
                    className="relative my-1 h-3 border-b border-line"
                    title={`${bars.timeframe}: ${bars.first} to ${bars.last}`}
                  >
                    <div
                      className="absolute h-3 bg-long opacity-60"
                      style={{ left: `${place.left * 100}%`, width: `${Math.max(place.width * 100, 0.3)}%` }}
                    />
                  </div>
                );
              })}
            </td>
            <td className="px-2 py-2 pr-4 text-right">
              <button
                type="button"
                className="cursor-pointer text-note text-soft hover:text-loss hover:underline"
                aria-label={`Delete ${market.symbol}`}
                onClick={() => onDelete(market.symbol)}
              >
                delete
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
