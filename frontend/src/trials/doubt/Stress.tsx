import { isCancelledError, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { basketsQuery, isTogether, type StressStep } from "@/api";
import { noteDone } from "@/keeping";
import { figureText, Loading, moneyTone, Picker, plain, Trouble } from "@/ui";
import type { DeskProps } from "../desk";
import { DoneBar } from "../DoneBar";
import { stressQuery } from "./queries";

type Props = Pick<DeskProps, "setup" | "figures" | "markets">;

/** The run beside itself made worse: row by row as each is finished, and a verdict at the end. */
export function Stress({ setup, figures, markets }: Props) {
  const ofBasket = isTogether(setup);
  const [others, setOthers] = useState<{ market: string; timeframe: string }[]>([]);
  const client = useQueryClient();
  const baskets = useQuery(basketsQuery);
  const query = stressQuery(setup, ofBasket ? [] : others);
  const found = useQuery(query);
  const steps = found.data ?? [];
  const latest = steps.at(-1);
  const rows = steps.flatMap((step) => step.row ?? []);
  const shown = figures.filter((figure) => figure.key in (rows[0]?.figures ?? {}));
  const isJudged = Boolean(latest?.verdict);
  useEffect(() => {
    if (isJudged) noteDone("doubted");
  }, [isJudged]);
  const stop = () => void client.cancelQueries({ queryKey: query.queryKey, exact: true }, { revert: false });
  return (
    <section aria-label="Stress" className="border-b border-line pb-4">
      <h2 className="text-base">The run made worse on purpose</h2>
      {found.isPending && found.isFetching && <Loading what="Running it as it is" />}
      {latest && !latest.verdict && (
        <Standing latest={latest} isRunning={found.isFetching} onStop={stop} onAgain={() => void found.refetch()} />
      )}
      {found.error && !isCancelledError(found.error) && <Trouble error={found.error.message} />}
      {latest?.verdict && (
        <ul className="my-2" data-testid="verdict">
          {latest.verdict.map((sentence) => (
            <li key={sentence} className="text-sentence">
              {sentence}
            </li>
          ))}
        </ul>
      )}
      {rows.length > 0 && (
        <table className="num text-note">
          <thead>
            <tr className="border-b border-line text-left font-sans text-soft italic">
              <th scope="col" className="pr-8 font-normal">
                what is different
              </th>
              {shown.map((figure) => (
                <th key={figure.key} scope="col" className="px-4 text-right font-normal" title={figure.meaning}>
                  {figure.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, place) => (
              <tr key={row.name} className={`border-b border-line ${place === 0 ? "font-semibold" : ""}`}>
                <th scope="row" className="pr-8 text-left font-sans font-normal">
                  {row.name}
                </th>
                {row.error && (
                  <td colSpan={shown.length} className="px-4 font-sans text-loss">
                    {row.error}
                  </td>
                )}
                {(row.figures ? shown : []).map((figure) => {
                  const value = row.figures?.[figure.key];
                  return (
                    <td
                      key={figure.key}
                      className={`px-4 text-right ${figure.key === "net_profit" ? moneyTone(value) : ""}`}
                      data-stress={`${row.name} ${figure.key}`}
                    >
                      {figureText(figure, value)}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {!ofBasket && (
        <p className="mt-2 text-note text-soft">
          and elsewhere:{" "}
          <Picker
            label="Another market"
            value=""
            options={[
              { value: "", label: "add a market…" },
              ...markets
                .filter(
                  (market) => market.symbol !== setup.market && !others.some((other) => other.market === market.symbol),
                )
                .map((market) => ({ value: market.symbol, label: market.symbol })),
              ...(baskets.data ?? []).map(({ name }) => ({ value: `:${name}`, label: `all of ${name}` })),
            ]}
            onChange={(chosen) => {
              const basket = baskets.data?.find(({ name }) => chosen === `:${name}`); // no symbol holds a colon
              const added = (basket?.markets ?? [chosen]).filter(
                (market) => market && market !== setup.market && !others.some((other) => other.market === market),
              );
              setOthers([...others, ...added.map((market) => ({ market, timeframe: setup.timeframe }))]);
            }}
          />{" "}
          <Picker
            label="Another timeframe"
            value=""
            options={[
              { value: "", label: "add a timeframe…" },
              ...["5m", "15m", "30m", "1h", "2h", "4h", "1d"]
                .filter((timeframe) => timeframe !== setup.timeframe)
                .map((timeframe) => ({ value: timeframe, label: timeframe })),
            ]}
            onChange={(timeframe) => timeframe && setOthers([...others, { market: setup.market, timeframe }])}
          />
          {others.length > 0 && (
            <button type="button" className="ml-2 cursor-pointer hover:underline" onClick={() => setOthers([])}>
              only here
            </button>
          )}
        </p>
      )}
    </section>
  );
}

function Standing({
  latest,
  isRunning,
  onStop,
  onAgain,
}: {
  latest: StressStep;
  isRunning: boolean;
  onStop: () => void;
  onAgain: () => void;
}) {
  return (
    <p role="status" className="my-2 flex max-w-2xl items-center gap-4 text-soft">
      <span className="num whitespace-nowrap">
        {plain(latest.done, 0)} of {plain(latest.total, 0)} runs and histories
      </span>
      <DoneBar done={latest.done} total={latest.total} />
      {isRunning ? (
        <button type="button" className="plain-button" onClick={onStop}>
          Stop
        </button>
      ) : (
        <>
          <span>Stopped: the rows below are finished, there is no verdict.</span>
          <button type="button" className="plain-button whitespace-nowrap" onClick={onAgain}>
            Run it again
          </button>
        </>
      )}
    </p>
  );
}
