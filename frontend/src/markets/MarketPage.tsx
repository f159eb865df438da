import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import {
  api,
  catalogueQuery,
  marketsQuery,
  scriptsQuery,
  setupOf,
  startQuery,
  unwrap,
  type Market,
  type MarketLook,
} from "@/api";
import { timeframeInstead } from "@/setup";
import { figureText, Loading, Picker, plain, tellAll, Trouble, useKept } from "@/ui";
import { Charged } from "./Charged";
import { changedTo, changesInWords, type Changes, type Settings } from "./description";
import { DescriptionForm, type Put } from "./DescriptionForm";
import { Oddities, type OddPlace } from "./Oddities";
import { Uses } from "./Uses";
import { useLook } from "./useLook";

interface Props {
  market: Market;
  markets: Market[];
  onBack: () => void;
  onOpen: (market: string) => void;
  onShow: (market: string, timeframe: string, place: OddPlace) => void;
}

/** One market: what it is described as, in sentences with fields, and what a change of that does before it is saved. */
export function MarketPage({ market, markets, onBack, onOpen, onShow }: Props) {
  const client = useQueryClient();
  const [changes, setChanges] = useKept<Changes>(`market ${market.symbol}`, {});
  const stored = market.settings;
  const now = { ...stored, ...changes };
  const isChanged = Object.keys(changes).length > 0;
  const save = useMutation({
    mutationFn: () =>
      unwrap(api.PUT("/api/markets", { body: { symbol: market.symbol, title: market.title, settings: now } })),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: marketsQuery.queryKey });
      setChanges({});
      tellAll(`${market.symbol} is saved.`);
    },
  });
  const change = (next: Changes) => {
    save.reset(); // why it could not be saved is of what was there before
    setChanges(next);
  };
  const put: Put = (key, value) => change(changedTo(stored, changes, key, value));
  useEffect(() => {
    document.title = `${market.symbol} · Markets · Skelb`;
  }, [market.symbol]);
  const first = market.bars[0];
  return (
    <section className="flex h-full flex-col" data-testid="market-page">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-2 border-b border-line px-4 text-sentence text-soft">
        <button type="button" className="plain-button !py-0" onClick={onBack}>
          ‹ Markets
        </button>
        <h1 className="text-sentence font-normal">
          Market <b className="text-base-content">{market.symbol}</b>
          {market.title && `, ${market.title}`}
          {first && (
            <>
              : bars of <b className="num text-base-content">{market.bars.map((bars) => bars.timeframe).join(", ")}</b>{" "}
              from {first.first.slice(0, 10)} to {first.last.slice(0, 10)}
            </>
          )}
        </h1>
        <Described
          market={market}
          onTake={(settings) =>
            change(
              Object.fromEntries(
                Object.entries(settings).filter(
                  ([key, value]) => JSON.stringify(value) !== JSON.stringify(stored[key as keyof Settings]),
                ),
              ),
            )
          }
        />
        <span className="ml-auto text-note text-brass" data-testid="market-changes">
          {isChanged && `${changesInWords(stored, changes)}, not saved`}
        </span>
        <button type="button" className="plain-button" aria-disabled={!isChanged} onClick={() => change({})}>
          Take back
        </button>
        <button
          type="button"
          className="main-button"
          aria-disabled={!isChanged || save.isPending}
          onClick={() => isChanged && !save.isPending && save.mutate()}
        >
          Save
        </button>
      </header>
      {save.error && <Trouble error={save.error.message} />}
      <div className="stacks flex min-h-0 flex-1">
        <div className="w-[340px] flex-none overflow-auto border-r border-line bg-base-100 px-4 pb-4">
          <DescriptionForm now={now} stored={stored} markets={markets} put={put} />
        </div>
        <Effect market={market} now={now} onOpen={onOpen} onShow={onShow} />
      </div>
    </section>
  );
}

/** Which description this is; what it was before can be taken up again, to be looked at and saved. */
function Described({ market, onTake }: { market: Market; onTake: (settings: Settings) => void }) {
  if (market.described === 1) return null;
  return (
    <span className="text-note" data-testid="described">
      · description{" "}
      <Picker
        label="Take up an earlier description"
        value={String(market.described)}
        options={[...market.earlier.map((_, place) => place + 1), market.described].reverse().map((number) => ({
          value: String(number),
          label: number === market.described ? `${number}, as it is` : `${number}, as it was`,
        }))}
        onChange={(number) => onTake((market.earlier[Number(number) - 1] as Settings | undefined) ?? market.settings)}
      />
    </span>
  );
}

type Figures = NonNullable<MarketLook["figures"]>;

/** What the trades of the script in view are charged here, in the account's money. */
function TradeCosts({ figures, before }: { figures: Figures; before: Figures | null }) {
  const mean = (of: Figures | null) => (of?.trades ? (of.total_costs ?? 0) / of.trades : null);
  const [now, was] = [mean(figures), mean(before)];
  if (now === null) return <p className="text-soft">It makes no trade here.</p>;
  return (
    <p className="text-soft" data-testid="trade-costs">
      Each of its {plain(figures.trades ?? 0, 0)} trades costs <b className="num">{plain(now, 2)}</b> on average
      {was !== null && was !== now && (
        <>
          {" "}
          (<span className="num">{plain(was, 2)}</span> as stored)
        </>
      )}
      {figures.costs_share != null && (
        <>
          , all together <b className="num">{plain(figures.costs_share * 100, 1)} %</b> of the gross profit
        </>
      )}
      , in the account&apos;s money.
    </p>
  );
}

function ExportLink({ symbol, form }: { symbol: string; form: "csv" | "parquet" }) {
  return (
    <a
      className="text-long hover:underline"
      href={`/api/markets/export?${new URLSearchParams({ symbol, form })}`}
      download
    >
      {form === "csv" ? "CSV" : "Parquet"}
    </a>
  );
}

/** What the description makes of a run, of its bars and of the costs, before and after what is typed. */
function Effect({ market, now, onOpen, onShow }: Pick<Props, "market" | "onOpen" | "onShow"> & { now: Settings }) {
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const catalogue = useQuery(catalogueQuery);
  const [title, setTitle] = useKept<string>("market tried with", "");
  const chosen = scripts.data?.find((item) => item.title === (title || start.data?.script)) ?? scripts.data?.[0];
  const timeframe = timeframeInstead(market, start.data?.timeframe ?? "15m");
  const setup =
    start.data && chosen && timeframe
      ? setupOf({ market: market.symbol, timeframe }, start.data, chosen.versions.at(-1)?.text ?? "")
      : null;
  const { before, after, odd, isOld, error } = useLook(market, setup, now);
  const [first] = market.bars;
  if (!first) return <p className="p-4 text-soft">No bars of it yet: import some.</p>;
  const net = catalogue.data?.figures.find((figure) => figure.key === "net_profit");
  const isOther = JSON.stringify(now) !== JSON.stringify(market.settings);
  return (
    <div className="min-w-0 flex-1 overflow-auto p-4" aria-busy={isOld}>
      {error && <Trouble error={error} />}
      {!after && !error && <Loading what="Trying it" />}
      <div className={isOld ? "text-soft italic" : ""}>
        {after && (
          <p className="text-sentence" data-testid="market-effect">
            Net of{" "}
            <Picker
              label="Script to try it with"
              value={chosen?.title ?? ""}
              options={(scripts.data ?? []).map((item) => ({ value: item.title, label: item.title }))}
              onChange={setTitle}
            />{" "}
            here at {timeframe}:{" "}
            {net && (
              <b className="num">
                {figureText(net, before?.figures?.net_profit)}
                {isOther && <> → {figureText(net, after.figures?.net_profit)}</>}
              </b>
            )}{" "}
            {isOld && "of the description as it was"}
          </p>
        )}
        {after?.figures && <TradeCosts figures={after.figures} before={(before ?? after).figures ?? null} />}
        {after?.problem && <p className="text-loss">{after.problem}</p>}
        <div className="mt-4 flex flex-wrap items-start gap-x-10 gap-y-6">
          <div className="min-w-[400px] flex-1">
            {odd && (
              <Oddities
                odd={odd}
                market={market}
                now={now}
                onShow={(place) => onShow(market.symbol, first.timeframe, place)}
              />
            )}
            <Uses market={market} />
            <p className="mt-4">
              <button type="button" className="plain-button" onClick={() => onOpen(market.symbol)}>
                Look at its bars in the workbench
              </button>{" "}
              Take its {first.timeframe} bars along as <ExportLink symbol={market.symbol} form="csv" /> or{" "}
              <ExportLink symbol={market.symbol} form="parquet" />.
            </p>
          </div>
          {after && <Charged charges={after.charges} before={(before ?? after).charges} />}
        </div>
      </div>
    </div>
  );
}
