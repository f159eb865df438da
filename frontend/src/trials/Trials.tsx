import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, catalogueQuery, marketsQuery, scriptsQuery, setupOf, startQuery, unwrap, type Setup, type Trial } from "@/api";
import { durationText, figureText, Loading, Picker, plain, Trouble } from "@/ui";
import { AxisEditor } from "./AxisEditor";
import { DepthChart } from "./DepthChart";
import { Doubt } from "./doubt/Doubt";
import { SoundingLine } from "./SoundingLine";
import { axisLabel, fieldsOf, gridOf, inputsOf, varyText, type AxisFields, type Sweep, type TrialsState } from "./model";
import { cellQuery, planQuery, surfaceQuery, trialQuery, trialsQuery } from "./queries";

interface Props {
  state: TrialsState;
  onState: (state: TrialsState) => void;
  onOpen: (state: TrialsState) => void;
}

/** Many runs made on purpose: choose what varies, watch the surface appear, open any run. */
export function Trials({ state, onState, onOpen }: Props) {
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const catalogue = useQuery(catalogueQuery);
  const markets = useQuery(marketsQuery);
  const failed = start.error ?? scripts.error ?? catalogue.error;
  if (failed) return <Trouble error={failed.message} />;
  if (!start.data || !scripts.data || !catalogue.data) return <Loading what="Opening the trials" />;
  const title = state.script ?? start.data.script;
  const script = scripts.data.find((item) => item.title === title) ?? scripts.data[0];
  const version = script?.versions.find((item) => item.number === state.version) ?? script?.versions.at(-1);
  if (!script || !version) return <p className="p-6 text-soft">There is no script to sweep yet: write one on the shelf.</p>;
  const setup = setupOf(state, { ...start.data, ...script.home }, version.text);
  if (state.doubt)
    return (
      <section className="flex h-full flex-col">
        <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-[14.5px] text-soft">
          <h1 className="sr-only">Trials</h1>
          Doubt
          <Picker label="Script" value={script.title} options={scripts.data.map((item) => ({ value: item.title, label: item.title }))} onChange={(value) => onState({ script: value, doubt: true })} />
          <span>v{version.number}</span> on <b className="text-base-content">{setup.market}</b> at <b className="text-base-content">{setup.timeframe}</b>
          <Faces isDoubt onFace={(doubt) => onState({ ...state, doubt })} />
        </header>
        <Doubt setup={setup} figures={catalogue.data.figures} markets={markets.data ?? []} />
      </section>
    );
  return (
    <SweepDesk
      key={`${script.title} ${version.number}`}
      state={state}
      title={script.title}
      titles={scripts.data.map((item) => item.title)}
      version={version.number}
      setup={setup}
      figures={catalogue.data.figures}
      onState={onState}
      onOpen={onOpen}
    />
  );
}

/** What is done with the script here: swept over its inputs, or one run of it doubted. */
function Faces({ isDoubt, onFace }: { isDoubt: boolean; onFace: (doubt: true | undefined) => void }) {
  return (
    <span role="group" aria-label="What is done" className="ml-auto flex gap-1 text-[13px]">
      <button type="button" aria-pressed={!isDoubt} className={`bar-button ${isDoubt ? "" : "!text-base-content font-semibold"}`} onClick={() => onFace(undefined)}>
        Sweep
      </button>
      <button type="button" aria-pressed={isDoubt} className={`bar-button ${isDoubt ? "!text-base-content font-semibold" : ""}`} onClick={() => onFace(true)}>
        Doubt
      </button>
    </span>
  );
}

interface DeskProps extends Props {
  title: string;
  titles: string[];
  version: number;
  setup: Setup;
  figures: Parameters<typeof figureText>[0][];
}

function SweepDesk({ state, title, titles, version, setup, figures, onState, onOpen }: DeskProps) {
  const client = useQueryClient();
  const inputs = useMemo(() => inputsOf(setup.text), [setup.text]);
  const named = (name: string | undefined, fallback: number) => inputs.find((input) => input.name === name) ?? inputs[fallback];
  const [axes, setAxes] = useState<AxisFields[]>(() => [named(state.x, 0), state.x && !state.y ? undefined : named(state.y, 1)].filter((input) => input !== undefined).map(fieldsOf));
  const [objective, setObjective] = useState("return_over_drawdown");
  const [minTrades, setMinTrades] = useState(30);
  const [chosen, setChosen] = useState<number | null>(null);
  const body: Sweep = { setup, vary: axes.map(varyText), objective, min_trades: minTrades };
  const plan = useQuery({ ...planQuery(body), enabled: axes.length > 0 });
  const earlier = useQuery(trialsQuery);
  const number = state.trial;
  const trial = useQuery({ ...trialQuery(number ?? 0), enabled: number !== undefined });
  const surface = useQuery({ ...surfaceQuery(number ?? 0, trial.data?.done ?? 0, objective, minTrades), enabled: trial.data !== undefined });

  const trialState = trial.data?.state;
  useEffect(() => {
    if (trialState) void client.invalidateQueries({ queryKey: trialsQuery.queryKey, exact: true });
  }, [client, trialState]);

  const refresh = (done: Trial) => {
    client.setQueryData(trialQuery(done.id).queryKey, done);
    void client.invalidateQueries({ queryKey: trialsQuery.queryKey, exact: true });
    void client.invalidateQueries({ queryKey: trialQuery(done.id).queryKey, exact: true });
  };
  const begin = useMutation({
    mutationFn: () => unwrap(api.POST("/api/trials", { body })),
    onSuccess: (made) => {
      setChosen(null);
      refresh(made);
      onState({ ...state, trial: made.id });
    },
  });
  const act = useMutation({
    mutationFn: (what: "stop" | "go_on") => unwrap(api.POST(`/api/trials/{number}/${what}`, { params: { path: { number: number! } } })),
    onSuccess: refresh,
  });
  const info = figures.find((figure) => figure.key === objective);
  const grid = useMemo(() => (trial.data && surface.data ? gridOf(trial.data, surface.data) : null), [trial.data, surface.data]);
  const openCell = async (cell: number) => {
    const found = await client.fetchQuery(cellQuery(number!, cell));
    const from = trial.data!.setup;
    onOpen({ script: title, version: state.version, market: from.market, timeframe: from.timeframe, from: from.from_date ?? undefined, to: from.to_date ?? undefined, account: from.account, sides: from.sides === "both" ? undefined : from.sides, inputs: { ...from.inputs, ...found.inputs }, pinned: state.pinned });
  };
  const running = trial.data?.state === "running";
  const error = begin.error ?? act.error ?? trial.error ?? surface.error;
  return (
    <section className="flex h-full flex-col">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-[14.5px] text-soft">
        <h1 className="sr-only">Trials</h1>
        Sweep <b className="num text-base-content">{axes.map((axis) => axis.name).join(" × ") || "nothing yet"}</b> of
        <Picker label="Script" value={title} options={titles.map((value) => ({ value, label: value }))} onChange={(value) => onState({ script: value })} />
        <span>v{version}</span> on <b className="text-base-content">{setup.market}</b> at
        <span>
          <b className="text-base-content">{setup.timeframe}</b>, best by
        </span>
        <Picker label="Objective" value={objective} options={figures.filter((figure) => figure.higher_is_better !== null).map((figure) => ({ value: figure.key, label: figure.name.toLowerCase() }))} onChange={setObjective} />
        with at least
        <input type="number" min={0} aria-label="Least number of trades" className="picker num w-14" value={minTrades} onChange={(event) => setMinTrades(Math.max(0, Math.floor(Number(event.target.value))))} />
        trades
        <Faces isDoubt={false} onFace={(doubt) => onState({ ...state, doubt })} />
        <span className="flex gap-2 text-[13px]">
          {running ? (
            <button type="button" className="main-button" onClick={() => act.mutate("stop")}>
              Stop
            </button>
          ) : (
            <>
              {trial.data && trial.data.done < trial.data.total && trial.data.state !== "failed" && (
                <button type="button" className="plain-button" onClick={() => act.mutate("go_on")}>
                  Go on
                </button>
              )}
              <button type="button" className="main-button" disabled={!plan.data || begin.isPending} onClick={() => begin.mutate()}>
                {plan.data ? `Start ${plain(plan.data.total, 0)} runs` : "Start"}
              </button>
            </>
          )}
        </span>
      </header>
      <div className="flex h-11 flex-none items-center gap-4 border-b border-line px-4" role="status">
        {trial.data ? <Progress trial={trial.data} /> : <span className="text-soft">{plan.data ? `${plain(plan.data.total, 0)} runs, about ${durationText(plan.data.seconds)}` : plan.error ? plan.error.message : "counting the runs…"}</span>}
      </div>
      {error && <Trouble error={error.message} />}
      <div className="flex min-h-0 flex-1">
        <aside className="w-[270px] flex-none overflow-auto border-r border-line bg-base-100 p-4">
          <h2 className="mb-2">What varies</h2>
          {inputs.length === 0 && <p className="text-soft">This script has no inputs. Write numbers as inputs: input fast = 12 from 4 to 40.</p>}
          {axes.map((axis, index) => (
            <AxisEditor key={index} label={index === 0 ? "across" : "upwards"} axis={axis} inputs={inputs} taken={axes.filter((_, other) => other !== index).map((item) => item.name)} onChange={(next) => setAxes(axes.map((item, other) => (other === index ? next : item)))} />
          ))}
          {plan.error && <p className="text-loss">{plan.error.message}</p>}
          {trial.data && plan.data && <p className="text-soft">{`Next: ${plain(plan.data.total, 0)} runs, about ${durationText(plan.data.seconds)}.`}</p>}
          {(earlier.data?.length ?? 0) > 0 && (
            <>
              <h2 className="mt-5 mb-1">Earlier sweeps</h2>
              <ul>
                {earlier.data!.slice(0, 12).map((item) => (
                  <li key={item.id}>
                    <button
                      type="button"
                      className={`w-full cursor-pointer border-b border-line py-1 text-left ${item.id === number ? "font-semibold" : "text-soft hover:text-base-content"}`}
                      onClick={() => {
                        setChosen(null);
                        onState({ ...state, trial: item.id });
                      }}
                    >
                      <span className="num">
                        {item.id}: {item.axes.map((axis) => axis.name).join(" × ")}
                      </span>{" "}
                      on {item.setup.market}, {plain(item.done, 0)} of {plain(item.total, 0)} runs
                    </button>
                  </li>
                ))}
              </ul>
            </>
          )}
        </aside>
        <div className="min-w-0 flex-1 p-3">
          {grid && trial.data?.axes.length === 1 ? (
            <SoundingLine grid={grid} neighbourhood={surface.data?.neighbourhood ?? []} info={info} plateau={surface.data?.plateau ?? null} rocks={surface.data?.rocks ?? []} chosen={chosen} onChoose={setChosen} onOpen={(cell) => void openCell(cell)} />
          ) : grid ? (
            <DepthChart grid={grid} info={info} plateau={surface.data?.plateau ?? null} rocks={surface.data?.rocks ?? []} chosen={chosen} onChoose={setChosen} onOpen={(cell) => void openCell(cell)} />
          ) : number !== undefined ? (
            <Loading what="Reading the trial" />
          ) : (
            <div className="flex h-full items-center justify-center text-center text-soft">
              <p className="max-w-sm">
                Nothing is sounded yet. Choose what varies at the left, then start: the surface of <i>{info?.name.toLowerCase()}</i> appears as the runs come in.
              </p>
            </div>
          )}
        </div>
        <aside className="w-[252px] flex-none overflow-auto border-l border-line bg-base-100 p-4">
          {number !== undefined && surface.data && trial.data && (
            <>
              <CellCard heading="Chosen" trial={trial.data} cell={chosen} figures={figures} objective={objective} neighbours={chosen === null ? null : (surface.data.neighbourhood[chosen] ?? null)} onOpen={openCell} />
              <CellCard heading="The plateau" trial={trial.data} cell={surface.data.plateau} figures={figures} objective={objective} neighbours={surface.data.plateau === null ? null : (surface.data.neighbourhood[surface.data.plateau] ?? null)} onOpen={openCell} />
              {surface.data.rocks.length > 0 && (
                <>
                  <CellCard heading="✕ A rock" trial={trial.data} cell={surface.data.rocks[0]!} figures={figures} objective={objective} neighbours={surface.data.neighbourhood[surface.data.rocks[0]!] ?? null} onOpen={openCell} />
                  <p className="text-soft">Stands alone: a step to either side loses most of it. Likely luck.</p>
                </>
              )}
              <p className="mt-4 text-soft">With {plain(trial.data.done, 0)} runs tried, the best of them looks better than it is. Prefer the middle of a broad plateau.</p>
            </>
          )}
        </aside>
      </div>
    </section>
  );
}

function Progress({ trial }: { trial: Trial }) {
  const left = trial.rate && trial.state === "running" ? (trial.total - trial.done) / trial.rate : null;
  return (
    <>
      <b>
        {plain(trial.done, 0)} of {plain(trial.total, 0)} runs
      </b>
      <div role="progressbar" aria-label="Runs done" aria-valuemin={0} aria-valuemax={trial.total} aria-valuenow={trial.done} className="h-1.5 flex-1 rounded bg-base-300">
        <div className="h-full rounded bg-base-content" style={{ width: `${(trial.done / trial.total) * 100}%` }} />
      </div>
      <span className="text-soft">
        {trial.state === "running" ? `${trial.rate ? `${plain(trial.rate, 0)} runs / s` : "starting"}${left === null ? "" : `, ${durationText(left)} left`}` : trial.state}
        {trial.message && `: ${trial.message}`}
      </span>
    </>
  );
}

interface CardProps {
  heading: string;
  trial: Trial;
  cell: number | null;
  figures: Parameters<typeof figureText>[0][];
  objective: string;
  neighbours: number | null;
  onOpen: (cell: number) => Promise<void>;
}

function CellCard({ heading, trial, cell, figures, objective, neighbours, onOpen }: CardProps) {
  const found = useQuery({ ...cellQuery(trial.id, cell ?? 0), enabled: cell !== null });
  const shown = [...new Set([objective, "net_profit", "max_drawdown_percent", "trades"])].map((key) => figures.find((figure) => figure.key === key)!);
  if (cell === null) return heading === "Chosen" ? <p className="mb-4 text-soft">Press a sounding to choose a run; double-press opens it.</p> : null;
  return (
    <div className="mb-5" data-card={heading}>
      <h2 className="mb-1">{heading}</h2>
      {found.data && (
        <>
          <dl>
            {trial.axes.map((axis) => (
              <Row key={axis.name} name={axis.name} value={axisLabel(found.data.inputs[axis.name]!)} />
            ))}
            {shown.map((info) => (
              <Row key={info.key} name={info.name.toLowerCase()} value={figureText(info, found.data.figures?.[info.key])} />
            ))}
            <Row name="its neighbours" value={neighbours === null ? "–" : figureText(shown[0]!, neighbours)} />
          </dl>
          {found.data.error && <p className="text-loss">{found.data.error}</p>}
          <button type="button" className="main-button mt-2" onClick={() => void onOpen(cell)}>
            Open as run
          </button>
        </>
      )}
    </div>
  );
}

function Row({ name, value }: { name: string; value: string }) {
  return (
    <div className="flex justify-between border-b border-line py-[3px]">
      <dt className="text-soft">{name}</dt>
      <dd className="num font-semibold">{value}</dd>
    </div>
  );
}
