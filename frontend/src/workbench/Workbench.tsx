import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { accountsQuery, api, catalogueQuery, keptRunQuery, marketsQuery, scriptsQuery, setupOf, startQuery, traceQuery, unwrap, type ChartWindow, type Setup, type SetupState } from "@/api";
import { Loading, Trouble } from "@/ui";
import { ChartDesk } from "./ChartDesk";
import { FunnelCard } from "./FunnelCard";
import { StepsMenu } from "./StepsMenu";
import { useSteps, type Step } from "./steps";
import type { ChartHandle } from "./ChartPane";
import { useFollow } from "./follow/useFollow";
import { InputsFace } from "./inputs/InputsFace";
import { PlanBuilder } from "./builder/PlanBuilder";
import { changedInputs, keepDraft, readDraft, versionOf } from "./model";
import { Sentence } from "./Sentence";
import { SheetFace } from "./sheet/SheetFace";
import { Soundings } from "./Soundings";
import { TextFace } from "./text/TextFace";
import type { Tool } from "./text/TextTools";
import { AskElsewhere, Changed, CheckConversion, ReadBack, Versions } from "./text/dialogs";
import { TradesColumn } from "./trades/TradesColumn";
import { useTradeFilter } from "./trades/useTradeFilter";
import { useLiveRun } from "./useLiveRun";
import { FACES, useWorkbenchCommands, type Face } from "./useWorkbenchCommands";

interface Props {
  state: SetupState;
  onState: (state: SetupState) => void;
  /** Go to the trials; with one input, to a sweep of it alone. */
  onSweep: (state: SetupState, input?: string) => void;
  /** Go to where this run is doubted. */
  onDoubt: (state: SetupState) => void;
}

/** The place where a script meets a market. */
export function Workbench({ state, onState, onSweep, onDoubt }: Props) {
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const accounts = useQuery(accountsQuery);
  const catalogue = useQuery(catalogueQuery);
  const kept = useQuery({ ...keptRunQuery(state.pinned ?? 0), enabled: state.pinned !== undefined });
  const trace = useQuery({ ...traceQuery(state.pinned ?? 0), enabled: state.pinned !== undefined });
  const client = useQueryClient();
  const title = state.script ?? start.data?.script;
  const script = scripts.data?.find((item) => item.title === title);
  const version = versionOf(script, state.version);

  const [typed, setTyped] = useState<{ key: string; text: string } | null>(null);
  const key = version && title ? `${title} v${version.number}` : "";
  const text = typed?.key === key ? typed.text : version && title ? (readDraft(title, version.number) ?? version.text) : null;
  const onText = useCallback(
    (next: string) => {
      if (!version || !title) return;
      setTyped({ key: `${title} v${version.number}`, text: next });
      keepDraft(title, version.number, next, version.text);
    },
    [title, version],
  );

  const setup: Setup | null = useMemo(() => (start.data && text !== null ? setupOf(state, start.data, text) : null), [start.data, state, text]);
  const chart = useRef<ChartHandle>(null);
  const onWindow = useCallback((window: ChartWindow) => chart.current?.setWindow(window), []);
  const live = useLiveRun(setup, onWindow);

  const save = useMutation({
    mutationFn: (body: string) => unwrap(api.POST("/api/scripts", { body: { text: body } })),
    onSuccess: async (saved) => {
      if (title && version) localStorage.removeItem(`skelb-draft ${title} v${version.number}`);
      await client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
      onState({ ...state, script: saved.title, version: undefined });
    },
  });
  const pin = useMutation({
    mutationFn: (body: Setup) => unwrap(api.POST("/api/runs", { body: { setup: body } })),
    onSuccess: (run) => {
      client.setQueryData(keptRunQuery(run.number).queryKey, run);
      onState({ ...state, pinned: run.number });
    },
  });
  const [isBuilding, setBuilding] = useState(false);
  const [tool, setTool] = useState<Tool | null>(null);
  const [face, setFace] = useState<Face>("Text");
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
    if (version && title) keepDraft(title, version.number, step.text, version.text);
    onState({ ...step.state, pinned: state.pinned });
  };
  const steps = useSteps(key, text, state, live.answer, live.waiting, takeStep);
  const follow = useFollow(live.run, live.ask);
  const cover = follow.following?.bar ?? null;
  const isCovered = cover !== null;
  const { filter, setFilter, shown, ended, against } = useTradeFilter(live.run, cover, trace.data ?? null);
  const [isFunnelOpen, setFunnelOpen] = useState(false);
  const stepTrade = (by: 1 | -1) => {
    const beyond = shown.filter((row) => chosen === null || (by > 0 ? row > chosen : row < chosen));
    const next = by > 0 ? beyond[0] : beyond.at(-1);
    if (next !== undefined) choose(next);
  };

  useEffect(() => {
    document.title = title ? `${title} on ${state.market ?? start.data?.market ?? ""} · Skelb` : "Skelb";
  }, [title, state.market, start.data]);

  useWorkbenchCommands({
    undo: steps.undo,
    redo: steps.redo,
    pin: () => setup && pin.mutate(setup),
    rules: () => setBuilding(true),
    save: () => text !== null && save.mutate(text),
    why: () => setFunnelOpen(!isCovered),
    face: setFace,
    tool: setTool,
  });

  const failed = start.error ?? scripts.error ?? markets.error ?? accounts.error ?? catalogue.error;
  if (failed) return <Trouble error={`${failed.message} Is the program still running?`} />;
  if (!start.data || !scripts.data || !markets.data || !accounts.data || !catalogue.data) return <Loading what="Opening the workbench" />;
  if (!version || !title || !setup || text === null)
    return (
      <Trouble error={`There is no script “${title}”.`}>
        <button type="button" className="plain-button my-2" onClick={() => onState({})}>
          Open {start.data.script}
        </button>
      </Trouble>
    );
  if (isBuilding)
    return (
      <PlanBuilder
        setup={setup}
        title={live.answer?.title || title}
        scripts={scripts.data}
        catalogue={catalogue.data}
        isSaving={save.isPending}
        onMake={(made) => save.mutate(made, { onSuccess: () => setBuilding(false) })}
        onClose={() => setBuilding(false)}
      />
    );
  const isSaved = text === version.text;
  const sound = live.answer?.sound ?? false;
  const sweep = (input?: string) =>
    isSaved ? onSweep(state, input) : save.mutate(text, { onSuccess: (saved) => onSweep({ ...state, script: saved.title, version: undefined }, input) });
  const doubt = () => (isSaved ? onDoubt(state) : save.mutate(text, { onSuccess: (saved) => onDoubt({ ...state, script: saved.title, version: undefined }) }));
  const closeTool = () => setTool(null);
  return (
    <section className="flex h-full flex-col">
      <Sentence
        state={state}
        setup={setup}
        title={title}
        version={version.number}
        isSaved={isSaved}
        scripts={scripts.data}
        markets={markets.data}
        accounts={accounts.data}
        onState={onState}
      >
        <button type="button" className="plain-button" disabled={!sound} title="From the script's conditions to a strategy" onClick={() => setBuilding(true)}>
          Make rules
        </button>
        <button type="button" className="plain-button" disabled={!sound || !live.answer?.inputs.length} onClick={() => sweep()}>
          Sweep
        </button>
        <button type="button" className="plain-button" disabled={!sound || !live.run?.is_strategy} title="Make it worse on purpose: costs, later fills, random entries, its trades drawn anew" onClick={doubt}>
          Doubt
        </button>
        <button type="button" className="main-button" disabled={!sound || pin.isPending} onClick={() => pin.mutate(setup)} title="Keep this run and show every later figure's difference from it">
          Pin run
        </button>
      </Sentence>
      <Soundings
        run={live.run}
        all={follow.following ? follow.figures : (live.run?.figures.all ?? null)}
        isCovered={isCovered}
        figures={catalogue.data.figures}
        pinned={kept.data ?? null}
        waiting={live.waiting || !sound || (follow.following !== null && !follow.isCurrent)}
        onUnpin={() => onState({ ...state, pinned: undefined })}
        onFinding={(time) => chart.current?.goToTime(time)}
      />
      {(live.error ?? pin.error ?? save.error) && <Trouble error={live.error ?? pin.error?.message ?? save.error?.message ?? ""} />}
      {!live.connected && live.answer && <Trouble error="The connection to the program is lost; trying again. Your text is kept." />}
      <div className="flex min-h-0 flex-1">
      <Group orientation="horizontal" className="min-w-0 flex-1">
        <Panel defaultSize="38%" minSize="280px" className="flex flex-col border-r border-line bg-base-100">
          <div className="relative flex h-9 flex-none items-end border-b border-line px-4">
            <div role="tablist" aria-label="Faces of the script" className="flex gap-4">
              {FACES.map((name) => (
                <button
                  key={name}
                  type="button"
                  role="tab"
                  id={`tab-${name}`}
                  aria-selected={face === name}
                  aria-controls={`face-${name}`}
                  className={`cursor-pointer border-b-2 pb-1 ${face === name ? "border-base-content font-semibold" : "border-transparent text-soft"}`}
                  onClick={() => setFace(name)}
                >
                  {name}
                </button>
              ))}
            </div>
            <span className="ml-auto flex items-center gap-1 pb-1 text-[12px] text-soft">
              <StepsMenu steps={steps} isCovered={isCovered} />
              {isSaved ? (
                <span className="whitespace-nowrap">saved · v{version.number}</span>
              ) : (
                <button type="button" className="plain-button !px-2 !py-0" title="Not saved yet (Ctrl S)" disabled={save.isPending} onClick={() => save.mutate(text)}>
                  Save version
                </button>
              )}
            </span>
          </div>
          {/* The text stays: switching loses neither the cursor nor what can be undone. */}
          <div role="tabpanel" id="face-Text" aria-labelledby="tab-Text" className={`min-h-0 flex-1 ${face === "Text" ? "flex flex-col" : "hidden"}`}>
            <TextFace
              key={title}
              title={title}
              text={text}
              setup={setup}
              tookMs={live.answer?.took_ms ?? null}
              explained={live.explained}
              isQuiet={live.waiting || !sound}
              isCovered={isCovered}
              zone={live.run?.zone ?? "UTC"}
              onText={onText}
              onSave={() => save.mutate(text)}
              onTool={setTool}
              onOpenScript={(name) => onState({ ...state, script: name, version: undefined })}
            />
          </div>
          <div role="tabpanel" id="face-Sheet" aria-labelledby="tab-Sheet" className={`min-h-0 flex-1 overflow-auto ${face === "Sheet" ? "" : "hidden"}`}>
            {face === "Sheet" && <SheetFace setup={setup} onText={onText} />}
          </div>
          <div role="tabpanel" id="face-Inputs" aria-labelledby="tab-Inputs" className={`min-h-0 flex-1 overflow-auto ${face === "Inputs" ? "" : "hidden"}`}>
            <InputsFace
              inputs={live.answer?.inputs ?? []}
              given={state.inputs}
              setup={face === "Inputs" && sound && live.run?.is_strategy && !live.waiting && !isCovered ? setup : null}
              figures={catalogue.data.figures}
              ask={live.ask}
              onSweep={(input) => sweep(input.name)}
              onChange={(input, value) => onState({ ...state, inputs: changedInputs(state.inputs, input, value) })}
              onReset={() => onState({ ...state, inputs: undefined })}
            />
          </div>
        </Panel>
        <Separator className="w-1 cursor-col-resize hover:bg-shallow" aria-label="Width of the script" />
        <Panel minSize="380px" className="flex min-w-0 flex-col">
          {live.run ? (
            <ChartDesk
              ref={chart}
              run={live.run}
              title={title}
              symbol={setup.market}
              chosen={chosen !== null && cover !== null && (live.run.trades.exit_bar[chosen] ?? 0) > cover ? null : chosen}
              follow={follow}
              pinned={trace.data ?? null}
              ask={live.ask}
              onStepTrade={stepTrade}
              onAsk={live.askWindow}
              onBar={live.askBar}
            />
          ) : sound || !live.answer ? (
            <Loading what="Computing" />
          ) : (
            <p className="p-6 text-soft">The chart appears as soon as the script checks clean.</p>
          )}
        </Panel>
      </Group>
        {live.run?.is_strategy && <TradesColumn run={live.run} shown={shown} ended={ended} against={isCovered ? null : against} onWhy={isCovered ? null : () => setFunnelOpen(true)} filter={filter} onFilter={setFilter} chosen={chosen} onChoose={choose} />}
      </div>
      {isFunnelOpen && live.run && <FunnelCard run={live.run.key} ask={live.ask} onClose={() => setFunnelOpen(false)} />}
      {tool === "readback" && <ReadBack setup={setup} onClose={closeTool} />}
      {tool === "versions" && script && <Versions script={script} text={text} onTake={onText} onClose={closeTool} />}
      {tool === "changed" && <Changed pinned={kept.data ?? null} setup={setup} all={live.run?.figures.all ?? null} figures={catalogue.data.figures} onTake={onText} onClose={closeTool} />}
      {tool === "ask" && <AskElsewhere text={text} onTake={onText} onClose={closeTool} />}
      {tool === "conversion" && <CheckConversion setup={setup} onGo={(time) => chart.current?.goToTime(time)} onClose={closeTool} />}
    </section>
  );
}
