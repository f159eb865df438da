import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, isTogether, scriptsQuery, unwrap } from "@/api";
import { Loading, NumberField, Picker, plain, useKept } from "@/ui";
import type { DeskProps } from "../desk";
import { drawnRuns, openedState, orderOf } from "../model";
import { readyConditionsQuery, studyQuery, tableQuery, type Seen } from "../queries";
import { RunCard } from "../RunCard";
import { RunTable } from "../RunTable";
import { SplitEditor } from "../SplitEditor";
import { Tried } from "../Tried";
import { ObjectivePicker } from "../ObjectivePicker";
import { NothingYet, TrialFrame } from "../TrialFrame";
import { useTrial } from "../useTrial";
import { Words } from "../VaryList";

/** Every small combination of conditions as the entry of the script, both ways. */
export function SearchDesk({ head, of, state, setup, figures, markets, onState, onOpen }: DeskProps) {
  const client = useQueryClient();
  const own = useQuery(studyQuery(setup, "points"));
  const ready = useQuery(readyConditionsQuery);
  const [picked, setPicked] = useKept<string[] | null>(`search picked ${of}`, null);
  const [added, setAdded] = useKept<string[]>(`search added ${of}`, []);
  const [typed, setTyped] = useState("");
  const [parts, setParts] = useKept("search parts", 2);
  const [hold, setHold] = useKept("search hold", 20);
  const [symbols, setSymbols] = useKept<string[]>(`search markets ${of} ${setup.market}`, [setup.market]);
  const [split, setSplit] = useKept("search split", "70,30");
  const [objective, setObjective] = useKept("search objective", "sharpe");
  const [minTrades, setMinTrades] = useKept("least trades", 30);
  const [chosen, setChosen] = useKept<number | null>(`search chosen ${state.trial}`, null);
  const mine = useMemo(
    () => own.data?.conditions.filter((item) => item.kind !== "mark").map((item) => item.text) ?? [],
    [own.data],
  );
  const conditions = picked ?? [...mine.slice(0, 4), ...(ready.data ?? []).slice(0, 10)];
  const vary = symbols.length > 1 || symbols[0] !== setup.market ? [`market=${symbols.join(",")}`] : [];
  const order = orderOf("search", setup, {
    vary,
    objective,
    min_trades: minTrades,
    split: split.trim(),
    search: { conditions, most_parts: parts, hold },
  });
  const isReady = own.data !== undefined && ready.data !== undefined && conditions.length > 0 && symbols.length > 0;
  const control = useTrial(order, isReady, state.trial, (trial) => {
    setChosen(null);
    onState({ ...state, trial });
  });
  const { trial } = control;
  const seen: Seen = { number: trial?.id ?? 0, done: drawnRuns(trial), objective, minTrades };
  const info = figures.find((figure) => figure.key === objective);
  const best = useQuery({
    ...tableQuery(seen, {
      sort: objective,
      descending: info?.higher_is_better !== false,
      least: minTrades > 0 ? [`trades:${minTrades}`] : [],
      most: [],
      limit: 1,
    }),
    enabled: trial !== undefined,
  });
  const point = chosen ?? best.data?.rows[0]?.number ?? null;
  const make = useMutation({
    mutationFn: async (number: number) => {
      const { text } = await unwrap(
        api.GET("/api/trials/{number}/scripts/{point}", { params: { path: { number: trial!.id, point: number } } }),
      );
      const run = await unwrap(
        api.GET("/api/trials/{number}/runs/{point}", { params: { path: { number: trial!.id, point: number } } }),
      );
      return { saved: await unwrap(api.POST("/api/scripts", { body: { text } })), run };
    },
    onSuccess: ({ saved, run }) => {
      void client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
      onOpen(openedState(trial!, run, { script: saved.title }));
    },
  });
  const toggle = (text: string) =>
    setPicked(conditions.includes(text) ? conditions.filter((other) => other !== text) : [...conditions, text]);
  const list = (name: string, texts: string[]) =>
    texts.length > 0 && (
      <>
        <h3 className="mt-2 text-soft italic">{name}</h3>
        <ul aria-label={name}>
          {texts.map((text) => (
            <li key={text}>
              <label className="num flex cursor-pointer items-baseline gap-2 py-[1px] text-note" title={text}>
                <input
                  type="checkbox"
                  className="relative top-[2px] accent-base-content"
                  checked={conditions.includes(text)}
                  onChange={() => toggle(text)}
                />
                <span className="min-w-0 truncate">{text}</span>
              </label>
            </li>
          ))}
        </ul>
      </>
    );
  const error = control.error ?? own.error ?? ready.error ?? make.error;
  return (
    <TrialFrame
      head={head}
      kind="search"
      control={control}
      error={error}
      onTrial={(number) => onState({ ...state, trial: number })}
      sentence={
        <>
          Search for entries of {head.script} on{" "}
          {symbols.length > 1 ? <b className="num text-base-content">{symbols.length} markets</b> : head.market} at{" "}
          {head.timeframe} {head.conditions},{" "}
          <ObjectivePicker
            objectives={head.objectives}
            objective={objective}
            onObjective={setObjective}
            minTrades={minTrades}
            onMinTrades={setMinTrades}
          />
        </>
      }
      settings={
        <>
          <h2>
            Conditions <span className="num font-normal text-soft">{plain(conditions.length, 0)}</span>
          </h2>
          {list("of this script", mine)}
          {list("your own", added)}
          <form
            className="mt-1 flex gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              const text = typed.trim().replace(/\s+/g, " ");
              if (!text) return;
              setAdded([...new Set([...added, text])]);
              setPicked([...new Set([...conditions, text])]);
              setTyped("");
            }}
          >
            <input
              className="field num min-w-0 flex-1"
              aria-label="Another condition"
              placeholder="close > sma(close, 30)"
              value={typed}
              onChange={(event) => setTyped(event.target.value)}
            />
            <button type="submit" className="plain-button !px-2 !py-0">
              add
            </button>
          </form>
          {list("ready-made", ready.data ?? [])}
          <p className="mt-2 text-soft">
            joined with <i>and</i>,{" "}
            <Picker
              label="Most conditions together"
              value={String(parts)}
              options={["1", "2", "3"].map((value) => ({
                value,
                label: value === "1" ? "each alone" : `up to ${value} together`,
              }))}
              onChange={(value) => setParts(Number(value))}
            />
            , long and short; where the script never leaves, after{" "}
            <NumberField label="Bars to hold" least={1} className="picker w-12" value={hold} onChange={setHold} /> bars
          </p>
          <h2 className="mt-4">Markets</h2>
          <Words
            axis={{ name: "market", words: markets.map((market) => market.symbol), chosen: symbols }}
            areMarkets
            onChange={setSymbols}
          />
          <SplitEditor split={split} spans={control.plan.data} onChange={setSplit} />
        </>
      }
      meaning={
        trial && (
          <>
            {trial.state !== "running" && trial.done > 0 && (
              <Tried seen={seen} isTogether={isTogether(trial.order.setup)} />
            )}
            {point !== null && (
              <RunCard
                heading={chosen === null ? "The highest" : "Chosen"}
                trial={trial}
                seen={seen}
                point={point}
                figures={figures}
                canLook
              >
                <button
                  type="button"
                  className="main-button mt-2"
                  disabled={make.isPending}
                  title="Save it as a script of its own and open it"
                  onClick={() => make.mutate(point)}
                >
                  Make it a script
                </button>
              </RunCard>
            )}
          </>
        )
      }
    >
      <div className="min-w-0 flex-1 p-3">
        {trial ? (
          <RunTable
            trial={trial}
            seen={seen}
            figures={figures}
            chosen={point}
            onChoose={setChosen}
            onOpen={(number) => make.mutate(number)}
          />
        ) : (
          <NothingYet>
            {state.trial !== undefined && !control.error ? (
              <Loading what="Reading the trial" />
            ) : (
              <p className="max-w-md">
                Every combination of the ticked conditions becomes the entry; exits, stops, windows and size stay those
                of the script. The more is tried, the better the best looks by luck alone: how good that is stands
                beside the result.
              </p>
            )}
          </NothingYet>
        )}
      </div>
    </TrialFrame>
  );
}
