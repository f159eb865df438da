import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import {
  catalogueQuery,
  compareQuery,
  logQuery,
  marketsQuery,
  placeOf,
  type Compared,
  type ComparedRun,
  type FigureInfo,
  type RunDifference,
  type SetupState,
  type TradePair,
} from "@/api";
import { figureText, Loading, moneyText, moneyTone, Picker, plain, signed, timeText, Trouble } from "@/ui";
import { Lines, Together } from "./Together";
import { useWorkOn } from "./useWorkOn";

interface Props {
  runs: number[];
  isAlike: boolean;
  onRuns: (runs: number[]) => void;
  onAlike: (alike: boolean) => void;
  onBack: () => void;
  onReport: (number: number) => void;
  onWork: (state: SetupState) => void;
}

/** Two to four kept runs beside each other: what the change did comes first. */
export function Compare({ runs, isAlike, onRuns, onAlike, onBack, onReport, onWork }: Props) {
  const found = useQuery(compareQuery(runs, isAlike));
  const catalogue = useQuery(catalogueQuery);
  const log = useQuery(logQuery({}, 100));
  const work = useWorkOn(onWork);
  useEffect(() => {
    document.title = `Runs ${runs.join(", ")} compared · Skelb`;
  }, [runs]);
  const first = found.data?.runs[0];
  const others = (log.data?.runs ?? []).filter((run) => !runs.includes(run.number));
  return (
    <section className="flex h-full flex-col" data-testid="compare">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-2 border-b border-line px-4 text-sentence text-soft">
        <button type="button" className="plain-button !py-0" onClick={onBack}>
          ‹ Logbook
        </button>
        <h1 className="mr-auto text-sentence font-normal">
          Compare{" "}
          {(found.data?.runs ?? []).map((run, place) => (
            <span key={run.number}>
              {place > 0 && " against "}
              <b className="num text-base-content">{run.number}</b> {run.title || "untitled"}
            </span>
          ))}
          {first && ` on ${placeOf(first.setup)} at ${first.setup.timeframe}`}
          {isAlike && <span className="text-brass">, all with days, account and costs of the oldest</span>}
        </h1>
        {runs.length < 4 && others.length > 0 && (
          <Picker
            label="Add a run"
            value=""
            options={[
              { value: "", label: "Add a run…" },
              ...others.map((run) => ({
                value: String(run.number),
                label: `${run.number} ${run.title}, ${run.change}`,
              })),
            ]}
            onChange={(number) => number && onRuns([...runs, Number(number)])}
          />
        )}
        {first && (
          <>
            <button type="button" className="plain-button" onClick={() => onReport(first.number)}>
              Report of {first.number}
            </button>
            <button
              type="button"
              className="main-button"
              onClick={() => work.mutate({ number: first.number, title: first.title })}
            >
              Work on {first.number}
            </button>
          </>
        )}
      </header>
      {(found.error ?? work.error) && <Trouble error={(found.error ?? work.error)!.message} />}
      {!found.data && !found.error && <Loading what="Running them once more" />}
      {found.data && catalogue.data && (
        <Beside
          key={runs.join()}
          found={found.data}
          figures={catalogue.data.figures}
          isAlike={isAlike}
          onAlike={onAlike}
          onDrop={runs.length > 2 ? (number) => onRuns(runs.filter((other) => other !== number)) : undefined}
        />
      )}
    </section>
  );
}

interface BesideProps {
  found: Compared;
  figures: FigureInfo[];
  isAlike: boolean;
  onAlike: (alike: boolean) => void;
  onDrop?: (number: number) => void;
}

function Beside({ found, figures, isAlike, onAlike, onDrop }: BesideProps) {
  const { runs, differences } = found;
  const oldest = runs.at(-1)!;
  const [chosen, setChosen] = useState(differences[0]!.number);
  const difference = differences.find((item) => item.number === chosen) ?? differences[0]!;
  const run = runs.find((item) => item.number === difference.number)!;
  const notAlike = runs.filter((item) => item.not_alike.length > 0);
  return (
    <div className="stacks flex min-h-0 flex-1">
      <div className="min-w-0 flex-1 overflow-auto px-4 py-3">
        {runs.length > 2 && (
          <p className="mb-1 text-soft">
            What did{" "}
            <Picker
              label="Which run"
              value={String(difference.number)}
              options={differences.map((item) => ({ value: String(item.number), label: `run ${item.number}` }))}
              onChange={(number) => setChosen(Number(number))}
            />{" "}
            change against run {oldest.number}?
          </p>
        )}
        <p className="text-title leading-7" data-testid="what-it-did">
          <b>{run.change || "Nothing was changed"}.</b> {difference.trades.sentence}
        </p>
        {notAlike.length > 0 && (
          <p className="mt-2 border-l-2 border-brass pl-2" data-testid="not-alike">
            Not to be held against run {oldest.number} as they are:{" "}
            {notAlike.map((item) => `run ${item.number} has ${item.not_alike.join(", ")}`).join("; ")}.{" "}
            {!isAlike && (
              <button type="button" className="plain-button !py-0" onClick={() => onAlike(true)}>
                Run them alike
              </button>
            )}
          </p>
        )}
        {isAlike && (
          <p className="mt-2 text-soft">
            <button type="button" className="plain-button !py-0" onClick={() => onAlike(false)}>
              Each as it was kept
            </button>
          </p>
        )}
        <Parts difference={difference} before={oldest} after={run} />
        <Together runs={runs} chosen={run} oldest={oldest} />
        <Trades difference={difference} before={oldest} after={run} />
      </div>
      <aside className="w-[440px] flex-none overflow-auto border-l border-line bg-base-100 px-4 py-3">
        <Every runs={runs} figures={figures} onDrop={onDrop} />
        <Lines difference={difference} before={oldest.number} />
        <Settings runs={runs} />
        {difference.trades.hangs_on && (
          <section aria-label="What speaks against it" className="mt-4">
            <h2>
              <b>What speaks against it</b>
            </h2>
            <p>
              <span aria-hidden className="text-brass">
                △
              </span>{" "}
              {difference.trades.hangs_on}
            </p>
          </section>
        )}
      </aside>
    </div>
  );
}

/** What the change is made of, from the net of the one to that of the other. */
function Parts({ difference, before, after }: { difference: RunDifference; before: ComparedRun; after: ComparedRun }) {
  const { parts } = difference.trades;
  if (parts.length === 0) return null;
  const most = Math.max(...parts.map((part) => Math.abs(part.change)), 1e-9);
  return (
    <table className="my-3 w-full max-w-[640px] text-note" data-testid="parts">
      <tbody>
        {parts.map((part) => (
          <tr key={part.name} className="border-b border-line">
            <th scope="row" className="text-left font-normal">
              {plain(part.trades, 0)}{" "}
              {part.name.replace("before", `in ${before.number}`).replace("after", `in ${after.number}`)}
            </th>
            <td className={`num px-3 text-right font-semibold ${moneyTone(part.change)}`}>{moneyText(part.change)}</td>
            <td className="w-1/2">
              <svg viewBox="-100 0 200 10" className="block h-[10px] w-full" preserveAspectRatio="none" aria-hidden>
                <rect
                  x={Math.min(0, (100 * part.change) / most)}
                  width={Math.abs((100 * part.change) / most)}
                  y="1"
                  height="8"
                  fill={part.change > 0 ? "var(--gain)" : "var(--loss)"}
                />
                <path d="M0 0V10" stroke="var(--soft)" />
              </svg>
            </td>
          </tr>
        ))}
        <tr>
          <th scope="row" className="text-left">
            in all, from {before.number} to {after.number}
          </th>
          <td className={`num px-3 text-right font-semibold ${moneyTone(difference.trades.change)}`}>
            {moneyText(difference.trades.change)}
          </td>
          <td className="text-soft">{plain(difference.trades.alike, 0)} trades are alike in both</td>
        </tr>
      </tbody>
    </table>
  );
}

/** Every figure of every run; the best is marked where more, or less, of it is better. */
function Every({
  runs,
  figures,
  onDrop,
}: {
  runs: ComparedRun[];
  figures: FigureInfo[];
  onDrop?: (number: number) => void;
}) {
  const better = (figure: FigureInfo) => {
    const values = runs.map((run) => run.figures.all?.[figure.key]);
    const known = values.filter((value): value is number => value != null);
    if (figure.higher_is_better === null || known.length < 2 || new Set(known).size < 2) return null;
    return figure.higher_is_better ? Math.max(...known) : Math.min(...known);
  };
  return (
    <table className="w-full text-note" data-testid="every">
      <thead>
        <tr className="border-b border-line">
          <th scope="col" className="text-left">
            Figures
          </th>
          {runs.map((run) => (
            <th key={run.number} scope="col" className="num text-right">
              {run.number}
              {onDrop && (
                <button
                  type="button"
                  className="ml-1 cursor-pointer font-normal text-soft hover:text-loss"
                  aria-label={`Leave run ${run.number} out`}
                  onClick={() => onDrop(run.number)}
                >
                  ✕
                </button>
              )}
            </th>
          ))}
          {runs.length === 2 && (
            <th scope="col" className="text-right font-normal text-soft italic">
              difference
            </th>
          )}
        </tr>
      </thead>
      <tbody>
        {figures.map((figure) => {
          const best = better(figure);
          const [now, then] = [runs[0]!.figures.all?.[figure.key], runs[1]!.figures.all?.[figure.key]];
          const scale = figure.unit === "fraction" ? 100 : 1;
          return (
            <tr key={figure.key} className="border-b border-line" data-figure={figure.key}>
              <th scope="row" className="text-left font-normal" title={figure.meaning}>
                {figure.name}
              </th>
              {runs.map((run) => {
                const value = run.figures.all?.[figure.key];
                const isBest = best !== null && value === best;
                return (
                  <td key={run.number} className={`num text-right whitespace-nowrap ${isBest ? "font-semibold" : ""}`}>
                    {isBest && <span className="text-gain">✓ </span>}
                    {figureText(figure, value)}
                  </td>
                );
              })}
              {runs.length === 2 && (
                <td className="num text-right whitespace-nowrap text-soft">
                  {now == null || then == null
                    ? "–"
                    : signed(
                        (now - then) * scale,
                        figure.unit === "ratio" || figure.unit === "R"
                          ? 2
                          : figure.unit === "money" || figure.unit === "count"
                            ? 0
                            : 1,
                      )}
                </td>
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What of inputs and setup differs; what is the same is counted. */
function Settings({ runs }: { runs: ComparedRun[] }) {
  const told = runs.map(({ setup }): Record<string, string> => ({
    ...Object.fromEntries(Object.entries(setup.inputs ?? {}).map(([name, value]) => [name, String(value)])),
    market: placeOf(setup),
    timeframe: setup.timeframe,
    from: setup.from_date ?? "the first day",
    to: setup.to_date ?? "the last day",
    sides: (setup.sides ?? "both") + (setup.inverted ? " exchanged" : ""),
    account: setup.account,
    "costs ×": String(setup.costs ?? 1),
    ...Object.fromEntries(
      Object.entries(setup.terms ?? {}).map(([key, value]) => [
        `account: ${key.replaceAll("_", " ")}`,
        String(value ?? "none"),
      ]),
    ),
  }));
  const names = [...new Set(told.flatMap((item) => Object.keys(item)))];
  const differing = names.filter((name) => new Set(told.map((item) => item[name])).size > 1);
  return (
    <section aria-label="Inputs and setup" className="mt-4">
      <h2>
        <b>Inputs and setup</b>{" "}
        <span className="text-soft">
          {differing.length} differ, {names.length - differing.length} are the same
        </span>
      </h2>
      <table className="w-full text-note" data-testid="settings">
        <tbody>
          {differing.map((name) => (
            <tr key={name} className="border-b border-line">
              <th scope="row" className="text-left font-normal">
                {name}
              </th>
              {told.map((item, place) => (
                <td key={runs[place]!.number} className={`num text-right ${place === 0 ? "font-semibold" : ""}`}>
                  {item[name] ?? <span className="font-sans text-soft italic">as written</span>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const FEW = 8;

/** Trades that ended otherwise, and those of one run only, the largest first. */
function Trades({ difference, before, after }: { difference: RunDifference; before: ComparedRun; after: ComparedRun }) {
  const { trades } = difference;
  const lists = [
    { name: `Ended differently, ${before.number} → ${after.number}`, pairs: trades.ended },
    { name: `Only in ${before.number}`, pairs: trades.only_before },
    { name: `Only in ${after.number}`, pairs: trades.only_after },
  ];
  return (
    <div className="flex flex-wrap items-start gap-x-8">
      {lists.map(({ name, pairs }) => pairs.length > 0 && <List key={name} name={name} pairs={pairs} />)}
    </div>
  );
}

function List({ name, pairs }: { name: string; pairs: TradePair[] }) {
  const [isAll, setAll] = useState(false);
  const markets = useQuery(marketsQuery);
  const zone = (symbol: string) => markets.data?.find((market) => market.symbol === symbol)?.settings.zone ?? "UTC";
  return (
    <section aria-label={name} className="min-w-[470px] flex-1 py-2">
      <h2>
        <b>{name}</b> <span className="text-soft">largest first</span>
      </h2>
      <table className="num w-full text-note">
        <tbody>
          {(isAll ? pairs : pairs.slice(0, FEW)).map((pair) => (
            <tr key={`${pair.market} ${pair.side} ${pair.entry_time}`} className="border-b border-line">
              <td className={pair.side === "long" ? "text-long" : "text-short"}>{pair.side}</td>
              <td className="px-2 whitespace-nowrap">{timeText(pair.entry_time, zone(pair.market), "full")}</td>
              <td className="max-w-[150px] truncate px-1 font-sans">
                {[pair.before_reason, pair.after_reason].filter(Boolean).join(" → ")}
              </td>
              <td className="px-1 text-right whitespace-nowrap text-soft">
                {[pair.before, pair.after]
                  .filter((net) => net !== null)
                  .map((net) => moneyText(net))
                  .join(" → ")}
              </td>
              {pair.before !== null && pair.after !== null && (
                <td className={`pl-2 text-right font-semibold ${moneyTone(pair.after - pair.before)}`}>
                  {moneyText(pair.after - pair.before)}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {!isAll && pairs.length > FEW && (
        <button
          type="button"
          className="cursor-pointer text-note text-long underline decoration-dotted"
          onClick={() => setAll(true)}
        >
          {pairs.length - FEW} more
        </button>
      )}
    </section>
  );
}
