import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import {
  accountsQuery,
  api,
  catalogueQuery,
  keptRunQuery,
  marketsQuery,
  scriptsQuery,
  setupOf,
  startQuery,
  traceQuery,
  unwrap,
  type Account,
  type Catalogue,
  type ChartWindow,
  type Market,
  type Script,
  type Setup,
  type SetupDefaults,
  type SetupState,
} from "@/api";
import { InputsWord } from "@/setup";
import { figureText, later, Loading, Notice, Tabs, tellAll, Trouble, useNarrow } from "@/ui";
import { ChartDesk } from "./ChartDesk";
import type { ChartHandle } from "./ChartPane";
import { keepDraft, readDraft } from "@/keeping";
import { useFollow } from "./follow/useFollow";
import { changedInputs, openedOf, retitled, titleIn, type Opened } from "./model";
import { Notices } from "./Notices";
import { Sentence } from "./Sentence";
import { Soundings } from "./Soundings";
import { StandingLine } from "./StandingLine";
import { useSteps, type Step } from "./steps";
import { TextFace } from "./text/TextFace";
import type { Tool } from "./text/TextTools";
import { TradesColumn } from "./trades/TradesColumn";
import { TradesTable } from "./trades/TradesTable";
import { useTradeFilter } from "./trades/useTradeFilter";
import { useChartRun } from "./useChartRun";
import { useLiveRun } from "./useLiveRun";
import { useSaving } from "./useSaving";
import { FACES, useWorkbenchCommands, type Face, type OverChart } from "./useWorkbenchCommands";
import { SaveQuestion } from "./SaveQuestion";

const InputsFace = later(() => import("./inputs/InputsFace").then((found) => found.InputsFace));
const StepsMenu = later(() => import("./StepsMenu").then((found) => found.StepsMenu));
const SheetFace = later(() => import("./sheet/SheetFace").then((found) => found.SheetFace));
const FiguresSheet = later(() => import("./FiguresSheet").then((found) => found.FiguresSheet));
const FunnelCard = later(() => import("./FunnelCard").then((found) => found.FunnelCard));

const PlanBuilder = later(() => import("./builder/PlanBuilder").then((found) => found.PlanBuilder));
const dialogs = () => import("./text/dialogs");
const AskElsewhere = later(() => dialogs().then((found) => found.AskElsewhere));
const Changed = later(() => dialogs().then((found) => found.Changed));
const CheckConversion = later(() => dialogs().then((found) => found.CheckConversion));
const Compared = later(() => dialogs().then((found) => found.Compared));
const ReadBack = later(() => dialogs().then((found) => found.ReadBack));
const Versions = later(() => dialogs().then((found) => found.Versions));

/** What the address holds of the Workbench: a setup, the face of the script, the bars of the chart. */
export interface WorkbenchState extends SetupState {
  face?: Face;
  chart?: string;
}

interface Props {
  state: WorkbenchState;
  /** Another state; `isSame` when it only says better what is in view, and is no step to go back from. */
  onState: (state: WorkbenchState, isSame?: boolean) => void;
  /** Go to the trials; with one input, to a sweep of it alone. */
  onSweep: (state: SetupState, input?: string) => void;
  /** Go to where this run is doubted. */
  onDoubt: (state: SetupState) => void;
}

/** The place where a script meets a market. */
export function Workbench(props: Props) {
  const { state, onState } = props;
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const accounts = useQuery(accountsQuery);
  const catalogue = useQuery(catalogueQuery);
  const title = state.script ?? start.data?.script;
  const script = scripts.data?.find((item) => item.title === title);
  const opened = title === undefined || !scripts.data ? undefined : openedOf(script, title, state.version);
  const defaults = start.data;
  // The address names all of what is in view, so that it can be given to somebody, and gone back to.
  useEffect(() => {
    if (!defaults || !opened) return;
    const named = {
      ...state,
      script: title,
      version: state.version ?? opened.number,
      market: state.market ?? defaults.market,
      timeframe: state.timeframe ?? defaults.timeframe,
      account: state.account ?? defaults.account,
    };
    if (JSON.stringify(named) !== JSON.stringify(state)) onState(named, true);
  });
  const failed = start.error ?? scripts.error ?? markets.error ?? accounts.error ?? catalogue.error;
  if (failed) return <Trouble error={`${failed.message} Is the program still running?`} />;
  if (!start.data || !scripts.data || !markets.data || !accounts.data || !catalogue.data)
    return <Loading what="Opening the workbench" />;
  if (!opened || !title)
    return (
      <Trouble error={`There is no script “${title}”.`}>
        <button
          type="button"
          className="plain-button my-2"
          onClick={() => onState({ ...state, script: start.data.script, version: undefined, inputs: undefined })}
        >
          Open {start.data.script}
        </button>
      </Trouble>
    );
  return (
    <Bench
      {...props}
      title={title}
      script={script}
      opened={opened}
      defaults={start.data}
      scripts={scripts.data}
      markets={markets.data}
      accounts={accounts.data}
      catalogue={catalogue.data}
    />
  );
}

interface BenchProps extends Props {
  title: string;
  script: Script | undefined;
  opened: Opened;
  defaults: SetupDefaults;
  scripts: Script[];
  markets: Market[];
  accounts: Account[];
  catalogue: Catalogue;
}

function Bench({
  state,
  onState,
  onSweep,
  onDoubt,
  title,
  script,
  opened,
  defaults,
  scripts,
  markets,
  accounts,
  catalogue,
}: BenchProps) {
  const kept = useQuery({ ...keptRunQuery(state.pinned ?? 0), enabled: state.pinned !== undefined, retry: false });
  const trace = useQuery({ ...traceQuery(state.pinned ?? 0), enabled: state.pinned !== undefined });
  const client = useQueryClient();
  const key = `${title} v${opened.number}`;
  const [typed, setTyped] = useState<{ key: string; text: string } | null>(null);
  const text = typed?.key === key ? typed.text : (readDraft(title, opened.number) ?? opened.text);
  const onText = useCallback(
    (next: string) => {
      setTyped({ key: `${title} v${opened.number}`, text: next });
      keepDraft(title, opened.number, next, opened.text);
    },
    [title, opened],
  );

  const setup: Setup = useMemo(() => setupOf(state, defaults, text), [defaults, state, text]);
  const chart = useRef<ChartHandle>(null);
  const onWindow = useCallback((window: ChartWindow) => chart.current?.setWindow(window), []);
  const onNoWindow = useCallback(() => chart.current?.noWindow(), []);
  const onBarKnown = useCallback((bar: number, moment: number) => chart.current?.knowBar(bar, moment), []);
  const live = useLiveRun(setup, onWindow, onNoWindow, onBarKnown);

  const saving = useSaving(title, opened, script, scripts, (saved) =>
    onState({ ...state, script: saved.title, version: saved.versions.at(-1)?.number }, saved.title === title),
  );
  const pin = useMutation({
    mutationFn: (body: Setup) => unwrap(api.POST("/api/runs", { body: { setup: body } })),
    onSuccess: (run) => {
      client.setQueryData(keptRunQuery(run.number).queryKey, run);
      tellAll(`Run ${run.number} is kept and pinned.`);
      onState({ ...state, pinned: run.number }, true);
    },
  });
  const [isBuilding, setBuilding] = useState(false);
  const [tool, setTool] = useState<Tool | null>(null);
  const [compared, setCompared] = useState<{ name: string; text: string } | null>(null);
  const [over, setOver] = useState<OverChart | null>(null);
  const face = state.face ?? "Text";
  const setFace = (next: Face) => onState({ ...state, face: next === "Text" ? undefined : next }, true);
  // A trade is remembered by its entry: after a change of the script the same trade stays chosen, if it is still made.
  const [chosenEntry, setChosenEntry] = useState<number | null>(null);
  const entries = live.run?.trades.entry_time;
  const found = chosenEntry === null ? -1 : (entries?.indexOf(chosenEntry) ?? -1);
  const chosen = found < 0 ? null : found;
  const choose = useCallback(
    (row: number) => {
      setChosenEntry(entries?.[row] ?? null);
      chart.current?.flyTo(row);
    },
    [entries],
  );

  const takeStep = (step: Step) => {
    setTyped({ key, text: step.text });
    keepDraft(title, opened.number, step.text, opened.text);
    onState({ ...step.state, pinned: state.pinned, face: state.face, chart: state.chart });
  };
  const steps = useSteps(key, text, state, live.answer, !live.isOfView, takeStep);
  const follow = useFollow(live.run, live.ask);
  const cover = follow.following?.bar ?? null;
  const isCovered = cover !== null;
  const drawn = useChartRun(live.run, isCovered ? undefined : state.chart, live.ask);
  const { filter, setFilter, shown, ended, against } = useTradeFilter(live.run, cover, trace.data ?? null);
  const [isFunnelOpen, setFunnelOpen] = useState(false);
  const stepTrade = (by: 1 | -1) => {
    const beyond = shown.filter((row) => chosen === null || (by > 0 ? row > chosen : row < chosen));
    const next = by > 0 ? beyond[0] : beyond.at(-1);
    if (next !== undefined) choose(next);
  };
  const isNarrow = useNarrow();
  useWhatIsNew(live, chosen, catalogue);

  useEffect(() => {
    document.title = `${title} on ${setup.market} ${setup.timeframe} · Workbench · Skelb`;
  }, [title, setup.market, setup.timeframe]);

  const showOver = (wanted: OverChart) =>
    setOver(over === wanted || isCovered || !live.run?.is_strategy ? null : wanted);
  useWorkbenchCommands({
    undo: steps.undo,
    redo: steps.redo,
    pin: () => pin.mutate(setup),
    rules: () => setBuilding(true),
    save: () => saving.save(text),
    why: () => setFunnelOpen(!isCovered),
    face: setFace,
    sheet: showOver,
    stop: live.stop,
    tool: setTool,
  });

  if (isBuilding)
    return (
      <PlanBuilder
        setup={setup}
        title={titleIn(text) || title}
        scripts={scripts}
        catalogue={catalogue}
        isSaving={saving.isSaving}
        onMake={(made) =>
          saving.save(made, (saved) => {
            setBuilding(false);
            onState({ ...state, script: saved.title, version: saved.versions.at(-1)?.number });
          })
        }
        onClose={() => setBuilding(false)}
      />
    );
  const isSaved = opened.number > 0 && text === opened.text;
  const { standing } = live;
  const isSound = live.isOfView || (live.answer?.sound ?? false);
  // What goes elsewhere goes as a saved version: the text in view is saved first.
  const savedFirst = (go: (state: SetupState) => void) => () =>
    isSaved
      ? go(state)
      : saving.save(text, (saved) => go({ ...state, script: saved.title, version: saved.versions.at(-1)?.number }));
  const sweep = (input?: string) => savedFirst((next) => onSweep(next, input))();
  const closeTool = () => setTool(null);
  const closeOver = () => {
    setOver(null);
    chart.current?.focus();
  };
  const pinnedError = state.pinned !== undefined && kept.error ? kept.error.message : null;
  const error =
    (standing.kind === "failed" ? standing.reason : null) ?? pin.error?.message ?? saving.error?.message ?? null;
  return (
    <section className={`flex h-full flex-col ${isNarrow ? "overflow-auto" : ""}`}>
      <Sentence
        state={state}
        setup={setup}
        title={title}
        version={opened.number}
        isSaved={isSaved}
        scripts={scripts}
        markets={markets}
        accounts={accounts}
        onState={onState}
      >
        <button
          type="button"
          className="plain-button"
          disabled={!isSound}
          title="From the script's conditions to a strategy"
          onClick={() => setBuilding(true)}
        >
          Make rules
        </button>
        <button
          type="button"
          className="plain-button"
          disabled={!isSound || !live.answer?.inputs.length}
          onClick={() => sweep()}
        >
          Sweep
        </button>
        <button
          type="button"
          className="plain-button"
          disabled={!isSound || !live.run?.is_strategy}
          title="Make it worse on purpose: costs, later fills, other times, its trades drawn anew"
          onClick={savedFirst(onDoubt)}
        >
          Doubt
        </button>
        <button
          type="button"
          className="main-button"
          disabled={!isSound}
          aria-disabled={pin.isPending}
          onClick={() => !pin.isPending && pin.mutate(setup)}
          title="Keep this run and show every later figure's difference from it"
        >
          Pin run
        </button>
      </Sentence>
      {state.inputs && (
        <div className="flex-none border-b border-line px-4 py-[2px] text-[13px] text-soft">
          <InputsWord state={state} onPut={(change) => onState({ ...state, ...change })} />
        </div>
      )}
      <Soundings
        run={live.run}
        all={follow.following ? follow.figures : (live.run?.figures.all ?? null)}
        isCovered={isCovered}
        figures={catalogue.figures}
        pinned={kept.data ?? null}
        isOld={!live.isOfView || (follow.following !== null && !follow.isCurrent)}
        onPin={(number) => onState({ ...state, pinned: number }, true)}
        onUnpin={() => onState({ ...state, pinned: undefined }, true)}
        onFinding={(time) => chart.current?.goToTime(time)}
        onFigures={() => showOver("figures")}
      />
      <StandingLine
        standing={standing}
        hasRun={live.run !== null}
        isSameText={live.isSameText}
        leftAt={live.leftAt}
        onStop={live.stop}
        onCompute={live.computeAgain}
      />
      <Notices
        state={state}
        setup={setup}
        title={title}
        opened={opened}
        script={script}
        markets={markets}
        inputs={live.isOfView ? (live.answer?.inputs ?? null) : null}
        pinnedError={pinnedError}
        savedElsewhere={saving.savedElsewhere}
        onState={onState}
        onCompare={(other) => {
          if ("text" in other) return setCompared({ name: "the other window's text", text: other.text });
          setCompared({
            name: `version ${other.version}`,
            text: script?.versions.find((item) => item.number === other.version)?.text ?? "",
          });
          saving.looked();
        }}
        onText={onText}
      />
      {error && <Trouble error={error} />}
      {live.trouble && <Notice text={live.trouble} />}
      {drawn.reason && (
        <Notice text={`The chart keeps the run's bars: ${drawn.reason}.`}>
          <button
            type="button"
            className="plain-button !py-0"
            onClick={() => onState({ ...state, chart: undefined }, true)}
          >
            All right
          </button>
        </Notice>
      )}
      {!live.connected && live.answer && (
        <Trouble error="The connection to the program is lost; trying again. Your text is kept." />
      )}
      <div className={`relative flex flex-1 ${isNarrow ? "flex-none flex-col" : "min-h-0"}`}>
        <Group
          orientation={isNarrow ? "vertical" : "horizontal"}
          className="min-w-0 flex-1"
          style={isNarrow ? { height: "64rem", flex: "none" } : undefined}
        >
          <Panel defaultSize="38%" minSize="280px" className="flex flex-col border-r border-line bg-base-100">
            <div className="relative flex h-9 flex-none items-end border-b border-line px-4">
              <Tabs label="Faces of the script" names={FACES} chosen={face} of="script" onChoose={setFace} />
              <span className="ml-auto flex items-center gap-1 pb-1 text-[12px] text-soft">
                <StepsMenu steps={steps} isCovered={isCovered} />
                {/* One button, saved or not: the focus stays where it is. */}
                <button
                  type="button"
                  className={isSaved ? "px-2 whitespace-nowrap" : "plain-button !px-2 !py-0"}
                  title={isSaved ? "What is in view is this version" : "Not saved yet (Ctrl S)"}
                  aria-disabled={isSaved || saving.isSaving}
                  onClick={() => !isSaved && !saving.isSaving && saving.save(text)}
                >
                  {isSaved ? `saved · v${opened.number}` : opened.number === 0 ? "Save" : "Save version"}
                </button>
              </span>
            </div>
            {/* The text stays: switching loses neither the cursor nor what can be undone. */}
            <div
              role="tabpanel"
              id="face-script-Text"
              aria-labelledby="tab-script-Text"
              className={`min-h-0 flex-1 ${face === "Text" ? "flex flex-col" : "hidden"}`}
            >
              <TextFace
                key={title}
                title={title}
                text={text}
                setup={setup}
                explained={live.explained}
                isQuiet={!live.isOfView}
                isCovered={isCovered}
                zone={live.run?.zone ?? "UTC"}
                onText={onText}
                onSave={() => saving.save(text)}
                onTool={setTool}
                onOpenScript={(name) => onState({ ...state, script: name, version: undefined, inputs: undefined })}
              />
            </div>
            <div
              role="tabpanel"
              id="face-script-Sheet"
              aria-labelledby="tab-script-Sheet"
              className={`min-h-0 flex-1 overflow-auto ${face === "Sheet" ? "" : "hidden"}`}
            >
              {face === "Sheet" && <SheetFace setup={setup} onText={onText} />}
            </div>
            <div
              role="tabpanel"
              id="face-script-Inputs"
              aria-labelledby="tab-script-Inputs"
              className={`min-h-0 flex-1 overflow-auto ${face === "Inputs" ? "" : "hidden"}`}
            >
              <InputsFace
                inputs={live.answer?.inputs ?? []}
                given={state.inputs}
                setup={face === "Inputs" && live.isOfView && live.run?.is_strategy && !isCovered ? setup : null}
                figures={catalogue.figures}
                markets={markets.map((market) => market.symbol)}
                ask={live.ask}
                onSweep={(input) => sweep(input.name)}
                onChange={(input, value) =>
                  onState({ ...state, inputs: changedInputs(state.inputs, input, value) }, true)
                }
                onReset={() => onState({ ...state, inputs: undefined }, true)}
              />
            </div>
          </Panel>
          <Separator
            className={isNarrow ? "h-1 cursor-row-resize hover:bg-shallow" : "w-1 cursor-col-resize hover:bg-shallow"}
            aria-label="Width of the script"
          />
          <Panel minSize="380px" className="flex min-w-0 flex-col">
            {live.run && drawn.run ? (
              <ChartDesk
                ref={chart}
                run={drawn.run}
                title={title}
                symbol={setup.market}
                chosen={
                  chosen !== null && cover !== null && (live.run.trades.exit_bar[chosen] ?? 0) > cover ? null : chosen
                }
                follow={follow}
                runTimeframe={live.run.timeframe}
                chartTimeframe={state.chart}
                onChartTimeframe={(timeframe) => onState({ ...state, chart: timeframe })}
                pinned={trace.data ?? null}
                ask={live.ask}
                onStepTrade={stepTrade}
                onAsk={live.askWindow}
                onBar={live.askBar}
              />
            ) : drawn.isReading || standing.kind === "computing" ? (
              <Loading what={drawn.isReading ? "Reading the bars" : "Computing"} />
            ) : (
              <p className="p-6 text-soft">
                {standing.kind === "failed"
                  ? "There is no chart of this: what is wrong stands above."
                  : "The chart appears as soon as the script checks clean."}
              </p>
            )}
          </Panel>
        </Group>
        {live.run?.is_strategy && (
          <TradesColumn
            run={live.run}
            shown={shown}
            ended={ended}
            against={isCovered ? null : against}
            onWhy={isCovered ? null : () => setFunnelOpen(true)}
            filter={filter}
            onFilter={setFilter}
            chosen={chosen}
            onChoose={choose}
            onTable={() => showOver("trades")}
          />
        )}
        {over === "figures" && live.run && (
          <FiguresSheet
            run={live.run}
            figures={catalogue.figures}
            pinned={kept.data ?? null}
            onTrade={choose}
            onMoment={(moment) => chart.current?.goToTime(new Date(moment * 1000).toISOString())}
            onClose={closeOver}
          />
        )}
        {over === "trades" && live.run && (
          <TradesTable
            run={live.run}
            title={title}
            shown={shown}
            ended={ended}
            chosen={chosen}
            onShow={choose}
            onClose={closeOver}
          />
        )}
      </div>
      {isFunnelOpen && live.run && (
        <FunnelCard run={live.run.key} ask={live.ask} onClose={() => setFunnelOpen(false)} />
      )}
      {tool === "readback" && <ReadBack setup={setup} onClose={closeTool} />}
      {tool === "versions" && script && <Versions script={script} text={text} onTake={onText} onClose={closeTool} />}
      {tool === "changed" && (
        <Changed
          pinned={kept.data ?? null}
          setup={setup}
          all={live.isOfView ? (live.run?.figures.all ?? null) : null}
          figures={catalogue.figures}
          onTake={onText}
          onClose={closeTool}
        />
      )}
      {tool === "ask" && <AskElsewhere text={text} onTake={onText} onClose={closeTool} />}
      {tool === "conversion" && (
        <CheckConversion setup={setup} onGo={(time) => chart.current?.goToTime(time)} onClose={closeTool} />
      )}
      {compared && (
        <Compared
          name={compared.name}
          before={compared.text}
          after={text}
          onTake={onText}
          onClose={() => setCompared(null)}
        />
      )}
      {saving.question && !compared && (
        <SaveQuestion
          question={saving.question}
          titles={scripts.map((item) => item.title)}
          onTop={saving.answer.onTop}
          onTitle={(other) => {
            const { then } = saving.question!;
            saving.answer.leave();
            saving.save(retitled(text, other), then);
          }}
          onCompare={() => {
            const { question } = saving;
            setCompared({
              name: `version ${question!.newest} of ${question!.title}`,
              text: scripts.find((item) => item.title === question!.title)?.versions.at(-1)?.text ?? "",
            });
          }}
          onClose={saving.answer.leave}
        />
      )}
    </section>
  );
}

/** Say what is new to whoever listens instead of looking: results, and the trade that was chosen. */
function useWhatIsNew(live: ReturnType<typeof useLiveRun>, chosen: number | null, catalogue: Catalogue): void {
  const { run, isOfView } = live;
  useEffect(() => {
    if (!isOfView || !run?.is_strategy) return;
    const timer = window.setTimeout(() => {
      const said = ["net_profit", "trades"].map((key) => {
        const info = catalogue.figures.find((item) => item.key === key)!;
        return `${info.name} ${figureText(info, run.figures.all[key])}`;
      });
      tellAll(`New results: ${said.join(", ")}.`);
    }, 600);
    return () => window.clearTimeout(timer);
  }, [run, isOfView, catalogue]);
  useEffect(() => {
    if (chosen === null || !run) return;
    const { trades } = run;
    tellAll(
      `Trade ${trades.first_number + chosen}, ${trades.side[chosen]! > 0 ? "long" : "short"}, net ${Math.round(trades.net[chosen]!)}.`,
    );
  }, [chosen, run]);
}
