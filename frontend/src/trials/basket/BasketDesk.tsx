import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keptRunQuery, placeOf, unwrap, type Basket, type FigureInfo, type KeptRun } from "@/api";
import { hasDays, isBuildable } from "@/setup";
import { figureText, Loading, moneyTone, OneStop, OptionalNumber, Picker, plain, signed, tellAll, Trouble } from "@/ui";
import type { DeskProps } from "../desk";
import { EquityLines, LineKey, type Line } from "../EquityLines";
import { basketQuery } from "../queries";
import { TrialHeader } from "../TrialHeader";
import { Words } from "../VaryList";

const SHOWN = [
  "net_profit",
  "return",
  "max_drawdown_percent",
  "return_over_drawdown",
  "profit_factor",
  "trades",
  "sharpe",
  "costs_share",
  "alpha",
  "beta",
];

/** The same rules over several markets on one account: what each earned beside what trading it costs. */
export function BasketDesk({ head, state, setup, figures, markets, onState, onOpen }: DeskProps) {
  const chosen = setup.basket ?? [];
  const [dropped, setDropped] = useState<string[]>([]); // ticked out, not run yet
  const [ran, setRan] = useState<string[]>([]);
  const [against, setAgainst] = useState<string | null>(null);
  const put = (next: string[]) => {
    setDropped([]);
    setRan([]);
    onState({ ...state, markets: next });
  };
  const dearest = setup.dearest ?? null;
  const before = useQuery({ ...basketQuery(setup, [], against), enabled: chosen.length > 0 });
  const after = useQuery({ ...basketQuery(setup, ran, against), enabled: chosen.length > 0 && ran.length > 0 });
  const isAfter = ran.length > 0;
  const kept = useQuery({ ...keptRunQuery(state.pinned ?? 0), enabled: state.pinned !== undefined, retry: false });
  const keep = useMutation({
    mutationFn: () => unwrap(api.POST("/api/runs", { body: { setup } })),
    onSuccess: (run) => {
      tellAll(`Run ${run.number} is kept and pinned.`);
      onState({ ...state, pinned: run.number }, true);
    },
  });
  const error = before.error ?? (isAfter ? after.error : null);
  const offered = markets
    .filter((market) => isBuildable(market, setup.timeframe) && hasDays(market, setup.from_date, setup.to_date))
    .map((market) => market.symbol);
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head}>
        Run {head.script} at {head.timeframe} {head.conditions} over several markets on one account, beside holding{" "}
        <Picker
          label="Beside holding"
          value={against ?? ""}
          options={[
            { value: "", label: "an equal share of each" },
            ...offered.map((symbol) => ({ value: symbol, label: symbol })),
          ]}
          onChange={(symbol) => setAgainst(symbol || null)}
        />
      </TrialHeader>
      <div className="flex-none border-b border-line px-4 py-2">
        <div className="flex items-baseline gap-3">
          <b>The basket</b>
          <span className="-ml-6">
            <Words
              axis={{ name: "basket", words: [...new Set([...offered, ...chosen])], chosen }}
              areMarkets
              onChange={put}
            />
          </span>
        </div>
        <p className="mt-1 text-soft">
          Markets are run{" "}
          <OptionalNumber
            whether="Whether dear markets are run"
            none="whatever a trade costs there"
            some="where a trade costs at most"
            label="The most a trade may cost, percent of a day's range"
            value={dearest}
            usual={10}
            least={0}
            isWhole={false}
            className="field w-16 text-right"
            onChange={(value) => {
              setDropped([]);
              setRan([]);
              onState({ ...state, dearest: value ?? undefined });
            }}
          />
          {dearest !== null && " % of a day's range: a limit that is set before any result is seen"}.
        </p>
      </div>
      {error && <Trouble error={error.message} />}
      {chosen.length === 0 ? (
        <p className="p-8 text-center text-soft">
          Choose the markets that share the account.{" "}
          <button type="button" className="main-button ml-2" onClick={() => put(offered)}>
            Take all
          </button>
        </p>
      ) : !before.data ? (
        !error && <Loading what="Running every market" />
      ) : (
        <div className="stacks flex min-h-0 flex-1">
          <div className="min-w-0 flex-1 overflow-auto p-4">
            <Rows
              before={before.data}
              after={isAfter ? after.data : undefined}
              figures={figures}
              dropped={dropped}
              onTick={(symbol) =>
                setDropped(
                  dropped.includes(symbol) ? dropped.filter((other) => other !== symbol) : [...dropped, symbol],
                )
              }
              onOpen={(market) => onOpen({ ...state, market, markets: undefined })}
            />
            <p className="mt-3 flex items-center gap-3">
              <button
                type="button"
                className="main-button"
                disabled={dropped.join() === ran.join() || dropped.length === before.data.rows.length}
                onClick={() => setRan(dropped)}
              >
                Run again{dropped.length > 0 ? ` without ${dropped.join(", ")}` : " with all"}
              </button>
              {dropped.length === before.data.rows.length && (
                <span className="text-loss">No market would be left.</span>
              )}
              <button
                type="button"
                className="plain-button"
                title="The basket with all its markets, described and charged as it is now, to be seen against others"
                aria-disabled={keep.isPending}
                onClick={() => !keep.isPending && keep.mutate()}
              >
                Keep and pin
              </button>
              {keep.error && <span className="text-loss">{keep.error.message}</span>}
              {isAfter && (
                <span className="text-soft">
                  Left out after their results were seen: what is better now was known, not found.
                </span>
              )}
            </p>
          </div>
          <aside className="w-[440px] flex-none overflow-auto border-l border-line bg-base-100 p-4">
            <Together
              before={before.data}
              after={isAfter ? after.data : undefined}
              kept={kept.data ?? null}
              onUnpin={() => onState({ ...state, pinned: undefined }, true)}
              figures={figures}
              held={against ?? "an equal share of each"}
            />
          </aside>
        </div>
      )}
    </section>
  );
}

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

function Rows({ before, after, figures, dropped, onTick, onOpen }: RowsProps) {
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

function Together({
  before,
  after,
  kept,
  onUnpin,
  figures,
  held,
}: {
  before: Basket;
  after: Basket | undefined;
  kept: KeptRun | null;
  onUnpin: () => void;
  figures: FigureInfo[];
  held: string;
}) {
  const shown = SHOWN.map((key) => figures.find((figure) => figure.key === key)!);
  const now = after ?? before;
  const lines: Line[] = [
    { name: after ? "now" : "the basket", times: now.times, values: now.equity, stroke: "var(--deep)" },
    ...(after
      ? [{ name: "before", times: before.times, values: before.equity, stroke: "var(--brass)", dash: "5 4" }]
      : []),
    { name: `holding ${held}`, times: now.times, values: now.holding, stroke: "var(--soft)", dash: "2 3" },
  ];
  return (
    <>
      {now.findings.map((finding) => (
        <p
          key={finding.code + finding.message}
          className="mb-2 border-l-2 border-brass pl-2"
          data-finding={finding.code}
        >
          {finding.message}
        </p>
      ))}
      <LineKey lines={lines} />
      <div className="h-[190px]">
        <EquityLines lines={lines} label="Equity" />
      </div>
      <table className="num mt-2 w-full text-note" data-testid="together">
        <thead>
          <tr className="border-b border-line font-sans text-soft">
            {["all together", ...(kept ? [`run ${kept.number}`] : []), ...(after ? ["before", "now"] : ["worth"])].map(
              (name, place) => (
                <th key={place} scope="col" className={`py-1 font-normal ${place === 0 ? "text-left" : "text-right"}`}>
                  {name}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {shown.map((figure) => (
            <tr key={figure.key} className="border-b border-line" data-figure={figure.key}>
              <th scope="row" className="py-[2px] text-left font-sans font-normal text-soft" title={figure.meaning}>
                {figure.name}
              </th>
              {kept && <td className="text-right text-brass">{figureText(figure, kept.figures.all?.[figure.key])}</td>}
              <td className="text-right font-semibold">{figureText(figure, before.figures.all?.[figure.key])}</td>
              {after && (
                <td className="text-right font-semibold">{figureText(figure, after.figures.all?.[figure.key])}</td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {kept && (
        <p className="mt-2 text-brass">
          Run {kept.number} is {kept.title || "untitled"} on {placeOf(kept.setup)} at {kept.setup.timeframe}.{" "}
          <button type="button" className="cursor-pointer underline" onClick={onUnpin}>
            Against none
          </button>
        </p>
      )}
      <p className="mt-2 text-soft" data-testid="held">
        Holding {held}: {signed((now.holding.at(-1) ?? now.capital) - now.capital, 0)} on the same capital. Alpha and
        beta are against it.
      </p>
    </>
  );
}
