import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import { api, catalogueQuery, marketsQuery, scriptsQuery, setupOf, startQuery, unwrap, type Market } from "@/api";
import { timeframeInstead } from "@/setup";
import { figureText, Loading, NumberField, Picker, plain, scaleOf, tellAll, Trouble, useKept } from "@/ui";
import { changedTo, changesInWords, type Changes, type Settings } from "./description";
import { HourColumns } from "./HourColumns";
import { Oddities, type OddPlace } from "./Oddities";
import { useLook, type Look } from "./useLook";

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
  const put: Put = (key, value) => setChanges(changedTo(stored, changes, key, value));
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
        <span className="ml-auto text-note text-brass" data-testid="market-changes">
          {isChanged && `${changesInWords(stored, changes)}, not saved`}
        </span>
        <button type="button" className="plain-button" aria-disabled={!isChanged} onClick={() => setChanges({})}>
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
      {save.error && isChanged && <Trouble error={save.error.message} />}
      <div className="stacks flex min-h-0 flex-1">
        <div className="w-[340px] flex-none overflow-auto border-r border-line bg-base-100 px-4 pb-4">
          <Description now={now} stored={stored} markets={markets} put={put} />
        </div>
        <Effect market={market} changes={changes} onOpen={onOpen} onShow={onShow} />
      </div>
    </section>
  );
}

type Put = <K extends keyof Settings>(key: K, value: Settings[K]) => void;
type NumberKey =
  "tick" | "point_value" | "lot_step" | "min_lot" | "spread" | "financing_long" | "financing_short" | "currency_rate";

interface DescriptionProps {
  now: Settings;
  stored: Settings;
  markets: Market[];
  put: Put;
}

function Description({ now, stored, markets, put }: DescriptionProps) {
  const number = (key: NumberKey, label: string, least = 0) => (
    <NumberField
      label={label}
      value={Number(now[key])}
      least={least}
      isWhole={false}
      className={`field w-20 text-right ${now[key] === stored[key] ? "" : "!border-brass text-brass"}`}
      onChange={(value) => put(key, value)}
    />
  );
  const word = (key: "zone" | "session" | "days", label: string, width: string) => (
    <TextField
      label={label}
      width={width}
      value={now[key]}
      isOther={now[key] !== stored[key]}
      onTake={(text) => put(key, text)}
    />
  );
  const hours = now.spread_by_hour ?? null;
  const unit = { price: "points", ticks: "ticks", percent: "% of price" }[now.spread_unit];
  const own = now.commission ?? null;
  const rate = now.currency_rate;
  return (
    <>
      <Part name="Price" about="The least step of its price; a pip where people count in them.">
        A tick is {number("tick", "Tick", 1e-10)} points; a pip{" "}
        <NumberOrNone label="Pip" value={now.pip ?? null} usual={now.tick * 10} onChange={(pip) => put("pip", pip)} />.
      </Part>
      <Part name="Contract" about="What a move of one point earns a unit, and in which steps units are traded.">
        A point is worth {number("point_value", "Value of a point", 1e-10)} a unit. Lots go in steps of{" "}
        {number("lot_step", "Lot step", 1e-10)} from {number("min_lot", "Least lot", 1e-10)} upwards. Counted at a rate
        of {typeof rate === "number" ? number("currency_rate", "Currency rate", 1e-10) : <b>{String(rate)}</b>}{" "}
        <Picker
          label="Where the rate comes from"
          value={typeof rate === "number" ? "" : String(rate)}
          options={[
            { value: "", label: "a number" },
            ...markets.map((item) => ({ value: item.symbol, label: `the close of ${item.symbol}` })),
          ]}
          onChange={(symbol) => put("currency_rate", symbol === "" ? 1 : symbol)}
        />
        .
      </Part>
      <Part
        name="Hours"
        about="Bars outside the session are left out; a trading day and its midnight are those of the zone."
      >
        Clocks are those of {word("zone", "Zone", "w-40")}. Open {word("session", "Session", "w-60")} on{" "}
        {word("days", "Days", "w-28")}.
      </Part>
      <Part
        name="Costs"
        about="The spread is paid once a round trip. A column of the bars that is called spread goes before both."
      >
        The spread is {hours === null ? number("spread", "Spread") : "drawn by the hour,"}{" "}
        <Picker
          label="Unit of the spread"
          value={now.spread_unit}
          options={[
            { value: "price", label: "points" },
            { value: "ticks", label: "ticks" },
            { value: "percent", label: "% of price" },
          ]}
          onChange={(value) => put("spread_unit", value as Settings["spread_unit"])}
        />
        ,{" "}
        <Picker
          label="Spread at different hours"
          value={hours === null ? "same" : "hours"}
          options={[
            { value: "same", label: "the same at every hour" },
            { value: "hours", label: "by the hour" },
          ]}
          onChange={(value) =>
            put("spread_by_hour", value === "same" ? null : Array.from({ length: 24 }, () => now.spread))
          }
        />
        . Prices are{" "}
        <Picker
          label="What prices are"
          value={now.quotes}
          options={[
            { value: "mid", label: "in the middle of it" },
            { value: "bid", label: "bids" },
          ]}
          onChange={(value) => put("quotes", value as Settings["quotes"])}
        />
        .
        {hours !== null && (
          <HourColumns
            hours={hours}
            stored={stored.spread_by_hour ?? hours.map(() => stored.spread)}
            unit={unit}
            onChange={(drawn) => put("spread_by_hour", drawn)}
          />
        )}
      </Part>
      <Part
        name="Held over night"
        about="Percent a year of a position's value, for each night; what is below nothing is paid to you."
      >
        A long pays {number("financing_long", "Nights long", -1000)} % a year, a short{" "}
        {number("financing_short", "Nights short", -1000)} %, three nights at once on{" "}
        <Picker
          label="Three nights at once"
          value={now.triple_day ?? ""}
          options={["", "mon", "tue", "wed", "thu", "fri", "sat", "sun"].map((day) => ({
            value: day,
            label: day || "no day",
          }))}
          onChange={(day) => put("triple_day", day || null)}
        />
        .
      </Part>
      <Part name="Commission" about="Its own takes the place of the account's, on every fill.">
        <Picker
          label="Whose commission"
          value={own === null ? "account" : "own"}
          options={[
            { value: "account", label: "That of the account." },
            { value: "own", label: "Its own:" },
          ]}
          onChange={(value) =>
            put("commission", value === "account" ? null : { percent: 0, per_unit: 0, per_order: 0, minimum: 0 })
          }
        />{" "}
        {own !== null &&
          (
            [
              ["percent", "% of the value,"],
              ["per_unit", "a unit,"],
              ["per_order", "an order, at least"],
              ["minimum", "a fill."],
            ] as const
          ).map(([key, after]) => (
            <span key={key} className="whitespace-nowrap">
              <NumberField
                label={`Own commission ${key.replace("_", " ")}`}
                value={own[key] ?? 0}
                least={0}
                isWhole={false}
                className="field w-16 text-right"
                onChange={(value) => put("commission", { ...own, [key]: value })}
              />{" "}
              {after}{" "}
            </span>
          ))}
      </Part>
    </>
  );
}

function Part({ name, about, children }: { name: string; about: string; children: ReactNode }) {
  return (
    <section aria-label={name} className="border-b border-line py-3 leading-8 text-soft last:border-b-0">
      <h2 className="leading-5 text-base-content">{name}</h2>
      <div>{children}</div>
      <p className="text-note leading-4">{about}</p>
    </section>
  );
}

/** A word that counts when it is left, or on Enter: half of it would be wrong. */
function TextField(props: {
  label: string;
  width: string;
  value: string;
  isOther: boolean;
  onTake: (text: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    if (typed !== null && typed.trim() !== "" && typed.trim() !== props.value) props.onTake(typed.trim());
    setTyped(null);
  };
  return (
    <input
      aria-label={props.label}
      className={`field num ${props.width} ${props.isOther ? "!border-brass text-brass" : ""}`}
      value={typed ?? props.value}
      onChange={(event) => setTyped(event.target.value)}
      onKeyDown={(event) => event.key === "Enter" && take()}
      onBlur={take}
    />
  );
}

function NumberOrNone(props: {
  label: string;
  value: number | null;
  usual: number;
  onChange: (value: number | null) => void;
}) {
  return (
    <>
      <Picker
        label={`Whether there is a ${props.label.toLowerCase()}`}
        value={props.value === null ? "none" : "some"}
        options={[
          { value: "none", label: "there is none" },
          { value: "some", label: "is" },
        ]}
        onChange={(value) => props.onChange(value === "none" ? null : props.usual)}
      />{" "}
      {props.value !== null && (
        <NumberField
          label={props.label}
          value={props.value}
          least={1e-10}
          isWhole={false}
          className="field w-20 text-right"
          onChange={props.onChange}
        />
      )}
    </>
  );
}

/** What the description makes of a run, of its bars and of the costs, before and after what is typed. */
function Effect({
  market,
  changes,
  onOpen,
  onShow,
}: Pick<Props, "market" | "onOpen" | "onShow"> & { changes: Changes }) {
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const catalogue = useQuery(catalogueQuery);
  const [title, setTitle] = useKept<string>("market tried with", "");
  const chosen = scripts.data?.find((item) => item.title === (title || start.data?.script)) ?? scripts.data?.[0];
  const timeframe = timeframeInstead(market, start.data?.timeframe ?? "15m");
  const setup =
    start.data && chosen && timeframe
      ? {
          ...setupOf({ market: market.symbol, timeframe }, start.data, chosen.versions.at(-1)?.text ?? ""),
          described: changes,
        }
      : null;
  const { look, isOld, error } = useLook(setup, keepPreviousData);
  if (market.bars.length === 0) return <p className="p-4 text-soft">No bars of it yet: import some.</p>;
  const net = catalogue.data?.figures.find((figure) => figure.key === "net_profit");
  return (
    <div className="min-w-0 flex-1 overflow-auto p-4" aria-busy={isOld}>
      {error && <Trouble error={error} />}
      {!look && !error && <Loading what="Trying it" />}
      {look && (
        <div className={isOld ? "text-soft italic" : ""}>
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
                {figureText(net, look.before?.net_profit)}
                {Object.keys(changes).length > 0 && <> → {figureText(net, look.after?.net_profit)}</>}
              </b>
            )}{" "}
            {isOld && "of the description as it was"}
          </p>
          {look.problem && <p className="text-loss">{look.problem}</p>}
          <div className="mt-4 flex flex-wrap items-start gap-x-10 gap-y-6">
            <div className="min-w-[400px] flex-1">
              <Oddities
                oddities={look.oddities}
                timeframe={market.bars[0]!.timeframe}
                zone={changes.zone ?? market.settings.zone}
                onShow={(place) => onShow(market.symbol, market.bars[0]!.timeframe, place)}
              />
              <p className="mt-4">
                <button type="button" className="plain-button" onClick={() => onOpen(market.symbol)}>
                  Look at its bars in the workbench
                </button>
              </p>
            </div>
            <Charged look={look} />
          </div>
        </div>
      )}
    </div>
  );
}

function Charged({ look }: { look: Look }) {
  const { charged, charged_before: before } = look;
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
      <Hours look={look} />
    </section>
  );
}

const WIDTH = 420;
const ROW = 18;

/** By hour of the day, percent of that day's range: the middle day, eight days in ten, and as it was. */
function Hours({ look }: { look: Look }) {
  const { hours } = look.charged;
  const was = new Map(look.charged_before.hours.map((row) => [row.hour, row.middle]));
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
        The dot is the middle day, the line eight days in ten of the last {260}; a ring is where it was before what is
        typed.
      </p>
    </>
  );
}
