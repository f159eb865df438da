import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keptRunQuery, unwrap } from "@/api";
import { hasDays, isBuildable } from "@/setup";
import { Loading, OptionalNumber, Picker, tellAll, Trouble } from "@/ui";
import type { DeskProps } from "../desk";
import { basketQuery } from "../queries";
import { TrialHeader } from "../TrialHeader";
import { Words } from "../VaryList";
import { Rows } from "./Rows";
import { Together } from "./Together";
import { Traded } from "./Traded";

/** The same rules over several markets on one account: what each earned beside what trading it costs. */
export function BasketDesk({ head, state, setup, figures, markets, onState, onOpen, onReport, onPractise }: DeskProps) {
  const chosen = setup.basket ?? [];
  const [dropped, setDropped] = useState<string[]>([]); // ticked out, not run yet
  const [ran, setRan] = useState<string[]>([]);
  const [against, setAgainst] = useState<string | null>(null);
  const [tradesOf, setTradesOf] = useState("");
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
      tellAll(`Run ${run.number} is kept.`);
      onState({ ...state, pinned: state.pinned ?? run.number }, true);
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
                title="The basket with all its markets, described and charged as it is now, in the logbook"
                aria-disabled={keep.isPending}
                onClick={() => !keep.isPending && keep.mutate()}
              >
                Keep
              </button>
              <button
                type="button"
                className="plain-button"
                title="The basket judged whole: its months, where it earned, what each line is worth"
                onClick={() => onReport({ ...state, markets: chosen, trial: undefined })}
              >
                Report
              </button>
              <button
                type="button"
                className="plain-button"
                title="The basket follows a feed of bars, in the server"
                onClick={() => onPractise({ ...state, markets: chosen, together: true })}
              >
                Practise
              </button>
              {keep.error && <span className="text-loss">{keep.error.message}</span>}
              {isAfter && (
                <span className="text-soft">
                  Left out after their results were seen: what is better now was known, not found.
                </span>
              )}
            </p>
            <Traded
              basket={(isAfter && after.data) || before.data}
              markets={markets}
              market={tradesOf}
              onMarket={setTradesOf}
            />
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
