import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import {
  api,
  keptRunQuery,
  setupOf,
  traceQuery,
  unwrap,
  type Account,
  type Catalogue,
  type Market,
  type Script,
  type Setup,
  type SetupDefaults,
  type SetupState,
} from "@/api";
import { keepDraft, readDraft } from "@/keeping";
import { withTerms } from "@/setup";
import { figureText, tellAll } from "@/ui";
import { ChartStack } from "./chart/stack";
import { useFollow } from "./follow/useFollow";
import type { Opened } from "./model";
import { useSteps, type Step } from "./steps";
import type { Tool } from "./text/TextTools";
import { useTradeFilter } from "./trades/useTradeFilter";
import { useChartRun } from "./useChartRun";
import { useLiveRun } from "./useLiveRun";
import { useSaving } from "./useSaving";
import { useWorkbenchCommands, type Face, type OverChart } from "./useWorkbenchCommands";

/** What the address holds of the Workbench: a setup, the face of the script, the bars of the chart. */
export interface WorkbenchState extends SetupState {
  face?: Face;
  chart?: string;
}

export interface WorkbenchProps {
  state: WorkbenchState;
  /** Another state; `isSame` when it only says better what is in view, and is no step to go back from. */
  onState: (state: WorkbenchState, isSame?: boolean) => void;
  /** Go to the trials; with one input, to a sweep of it alone. */
  onSweep: (state: SetupState, input?: string) => void;
  /** Go to where this run is judged whole. */
  onReport: (state: SetupState) => void;
  /** Go to where this strategy follows a feed. */
  onPractise: (state: SetupState) => void;
  /** Go to where this run is doubted. */
  onDoubt: (state: SetupState) => void;
  /** Go to where bars are brought in. */
  onMarkets: () => void;
}

export interface BenchProps extends WorkbenchProps {
  title: string;
  script: Script | undefined;
  opened: Opened;
  /** What is in view where the address says nothing, and the script that a new folder opens on. */
  defaults: SetupDefaults & { script: string };
  scripts: Script[];
  markets: Market[];
  accounts: Account[];
  catalogue: Catalogue;
}

/** All that a Workbench is and can do at a moment: its parts are given this, and nothing else knows of each other. */
export type Bench = ReturnType<typeof useBench>;

export function useBench(props: BenchProps) {
  const {
    state,
    onState,
    onSweep,
    onPractise,
    onDoubt,
    onReport,
    title,
    script,
    opened,
    defaults,
    scripts,
    accounts,
    catalogue,
  } = props;
  const kept = useQuery({ ...keptRunQuery(state.pinned ?? 0), enabled: state.pinned !== undefined, retry: false });
  const trace = useQuery({ ...traceQuery(state.pinned ?? 0), enabled: state.pinned !== undefined });
  const { text, setText } = useDraft(title, opened);
  const setup: Setup = useMemo(() => setupOf(state, defaults, text), [defaults, state, text]);
  const [chart] = useState(() => new ChartStack());
  const live = useLiveRun(setup, chart);
  const isSaved = opened.number > 0 && text === opened.text;

  // --- going elsewhere -----------------------------------------------------------------------------------------
  const openSaved = (saved: Script) => ({ ...state, script: saved.title, version: saved.versions.at(-1)?.number });
  const saving = useSaving(title, opened, script, scripts, (saved) => onState(openSaved(saved), saved.title === title));
  /** What goes elsewhere goes as a saved version: the text in view is saved first. */
  const savedFirst = (go: (state: SetupState) => void) =>
    isSaved ? go(state) : saving.save(text, (saved) => go(openSaved(saved)));
  const sweep = (input?: string) => savedFirst((next) => onSweep(next, input));
  const doubt = () => savedFirst(onDoubt);
  const report = () => savedFirst(onReport);
  const practise = () => savedFirst(onPractise);
  const keep = useKeeping(state, onState);

  // --- the run and its trades ----------------------------------------------------------------------------------
  const takeStep = (step: Step) => {
    setText(step.text);
    onState({ ...step.state, pinned: state.pinned, face: state.face, chart: state.chart });
  };
  const steps = useSteps(`${title} v${opened.number}`, text, state, live.answer, !live.isOfView, takeStep);
  const follow = useFollow(live.run, live.ask);
  const cover = follow.following?.bar ?? null;
  const isCovered = cover !== null;
  const drawn = useChartRun(live.run, isCovered ? undefined : state.chart, live.ask);
  const trades = useTradeFilter(live.run, cover, trace.data ?? null);
  const { chosen, choose } = useChosenTrade(live.run?.trades.entry_time, chart);
  const stepTrade = (by: 1 | -1) => {
    const beyond = trades.shown.filter((row) => chosen === null || (by > 0 ? row > chosen : row < chosen));
    const next = by > 0 ? beyond[0] : beyond.at(-1);
    if (next !== undefined) choose(next);
  };
  useWhatIsNew(live, chosen, catalogue);

  const accountRef = useRef<HTMLButtonElement>(null);
  const againstRef = useRef<HTMLButtonElement>(null);

  // --- what is open --------------------------------------------------------------------------------------------
  const [isBuilding, setBuilding] = useState(false);
  const [isFunnelOpen, setFunnelOpen] = useState(false);
  const [tool, setTool] = useState<Tool | null>(null);
  const [compared, setCompared] = useState<{ name: string; text: string } | null>(null);
  const [over, setOver] = useState<OverChart | null>(null);
  const setFace = (next: Face) => onState({ ...state, face: next === "Text" ? undefined : next }, true);
  const showOver = (wanted: OverChart) =>
    setOver(over === wanted || isCovered || !live.run?.is_strategy ? null : wanted);
  const closeOver = () => {
    setOver(null);
    chart.focus();
  };

  useEffect(() => {
    document.title = `${title} on ${setup.market} ${setup.timeframe} · Workbench · Skelb`;
  }, [title, setup.market, setup.timeframe]);
  useWorkbenchCommands({
    undo: steps.undo,
    redo: steps.redo,
    keep: () => keep.mutate(setup),
    against: () => againstRef.current?.click(),
    report,
    practise,
    rules: () => setBuilding(true),
    save: () => saving.save(text),
    why: () => setFunnelOpen(!isCovered),
    face: setFace,
    sheet: showOver,
    stop: live.stop,
    tool: setTool,
  });

  return {
    ...props,
    text,
    setText,
    setup,
    isSaved,
    saving,
    openSaved,
    keep,
    againstRef,
    pinned: kept.data ?? null,
    pinnedError: state.pinned !== undefined && kept.error ? kept.error.message : null,
    pinnedTrace: trace.data ?? null,
    chart,
    accountRef,
    account: withTerms(accounts.find((item) => item.name === setup.account)?.settings, state.terms),
    live,
    steps,
    follow,
    cover,
    isCovered,
    drawn,
    trades,
    chosen,
    choose,
    stepTrade,
    sweep,
    doubt,
    report,
    practise,
    face: state.face ?? "Text",
    setFace,
    isBuilding,
    setBuilding,
    isFunnelOpen,
    setFunnelOpen,
    tool,
    setTool,
    compared,
    setCompared,
    over,
    showOver,
    closeOver,
  };
}

/** The text in view: what was typed here, else this tab's draft, else what was saved. */
function useDraft(title: string, opened: Opened) {
  const key = `${title} v${opened.number}`;
  const [typed, setTyped] = useState<{ key: string; text: string } | null>(null);
  const text = typed?.key === key ? typed.text : (readDraft(title, opened.number) ?? opened.text);
  const setText = useCallback(
    (next: string) => {
      setTyped({ key: `${title} v${opened.number}`, text: next });
      keepDraft(title, opened.number, next, opened.text);
    },
    [title, opened],
  );
  return { text, setText };
}

function useKeeping(state: WorkbenchState, onState: WorkbenchProps["onState"]) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Setup) => unwrap(api.POST("/api/runs", { body: { setup: body, parent: state.origin ?? null } })),
    onSuccess: (run) => {
      client.setQueryData(keptRunQuery(run.number).queryKey, run);
      const isFirst = state.pinned === undefined;
      tellAll(`Run ${run.number} is kept${isFirst ? ", and others are seen against it" : ""}.`);
      onState({ ...state, pinned: state.pinned ?? run.number, origin: run.number }, true);
    },
  });
}

/** A trade is remembered by its entry: after a change of the script the same one stays chosen, if it is still made. */
function useChosenTrade(entries: number[] | undefined, chart: ChartStack) {
  const [chosenEntry, setChosenEntry] = useState<number | null>(null);
  const found = chosenEntry === null ? -1 : (entries?.indexOf(chosenEntry) ?? -1);
  const choose = useCallback(
    (row: number) => {
      setChosenEntry(entries?.[row] ?? null);
      chart.flyTo(row);
    },
    [entries, chart],
  );
  return { chosen: found < 0 ? null : found, choose };
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
