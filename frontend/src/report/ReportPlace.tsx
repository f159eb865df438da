import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import {
  accountsQuery,
  catalogueQuery,
  isTogether,
  keptRunQuery,
  marketsQuery,
  placeOf,
  scriptsQuery,
  sendPack,
  setupOf,
  startQuery,
  withBasket,
  type FigureInfo,
  type KeptRun,
  type Report,
  type Setup,
} from "@/api";
import { AccountWord, MarketWord, SidesWord, SpanWord, TimeframeWord } from "@/setup";
import { dateText, figureText, Loading, Picker, PopOver, saveFile, Trouble } from "@/ui";
import { USUAL_SWINGS, type ReportState, type Swings } from "./model";
import { Packed } from "./Packed";
import {
  reportQuery,
  savedPack,
  savedPage,
  savedTable,
  savedWalkTable,
  walkReportQuery,
  type TableForm,
  type TableOf,
} from "./queries";
import { Survey } from "./Survey";
import { TryIt } from "./TryIt";
import { Worth } from "./Worth";

interface Props {
  state: ReportState;
  onState: (state: ReportState, isSame?: boolean) => void;
  /** Open the run in the workbench, at a stretch of time where one is given. */
  onOpen: (setup: Setup | null, state: ReportState, stretch?: { from: number; to: number }) => void;
}

/** The place where a run is judged whole: one that is kept, one by its setup, or one that comes in a pack. */
export function ReportPlace(props: Props) {
  const packed = useMutation({ mutationFn: sendPack });
  const open = (file: File | undefined) => file && packed.mutate(file);
  return (
    <div
      className="h-full"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        open(event.dataTransfer.files[0]);
      }}
    >
      {packed.isPending && <Loading what={`Making ${packed.variables.name} again`} />}
      {packed.error && (
        <Trouble error={`${packed.variables?.name}: ${packed.error.message}`}>
          <button type="button" className="plain-button my-2" onClick={packed.reset}>
            Back to the report
          </button>
        </Trouble>
      )}
      {packed.data && <Packed name={packed.variables?.name ?? ""} found={packed.data} onClose={packed.reset} />}
      {packed.isIdle && <Opened {...props} onPack={open} />}
    </div>
  );
}

function Opened(props: Props & { onPack: (file: File | undefined) => void }) {
  const { state } = props;
  return state.trial === undefined ? <OfRun {...props} /> : <OfWalk {...props} trial={state.trial} />;
}

/** The days outside of a walk-forward, end to end, as one run. */
function OfWalk({ state, trial, onOpen }: Props & { trial: number }) {
  const catalogue = useQuery(catalogueQuery);
  const choose = state.choose ?? "value";
  const report = useQuery(walkReportQuery(trial, choose, state.objective));
  useEffect(() => {
    document.title = `Walk-forward ${trial} · Report · Skelb`;
  }, [trial]);
  return (
    <section className="flex h-full flex-col" data-testid="report-place">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-body text-soft">
        <h1 className="mr-auto text-body font-normal">
          Report of the days outside of <b className="text-base-content">walk-forward {trial}</b>
          {report.data && (
            <>
              : {report.data.title}, {dateText(report.data.first)} to {dateText(report.data.last)}, chosen anew on every
              window
            </>
          )}
        </h1>
        <Tables
          save={(of, form) => savedWalkTable(trial, choose, state.objective, of, form)}
          title={`Walk-forward ${trial}`}
          isReady={report.isSuccess}
        />
        <button type="button" className="plain-button" onClick={() => onOpen(null, state)}>
          Back to the trial
        </button>
      </header>
      <div className="min-h-0 flex-1 overflow-auto px-4 py-3" data-testid="report" aria-busy={report.isFetching}>
        {report.error && <Trouble error={report.error.message} />}
        {!report.data && !report.error && <Loading what="Judging the days outside" />}
        {report.data && catalogue.data && (
          <Survey report={report.data} figures={catalogue.data.figures} held="holding on the same days" />
        )}
      </div>
    </section>
  );
}

function OfRun(props: Props & { onPack: (file: File | undefined) => void }) {
  const { state } = props;
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const kept = useQuery({ ...keptRunQuery(state.run ?? 0), enabled: state.run !== undefined, retry: false });
  const failed = start.error ?? scripts.error ?? kept.error;
  if (failed) return <Trouble error={failed.message} />;
  if (!start.data || !scripts.data || (state.run !== undefined && !kept.data))
    return <Loading what="Opening the report" />;
  if (kept.data && state.run !== undefined)
    return <Whole {...props} setup={kept.data.setup} title={kept.data.title} number={state.run} kept={kept.data} />;
  const title = state.script ?? start.data.script;
  const script = scripts.data.find((item) => item.title === title);
  const version = script?.versions.find((item) => item.number === state.version) ?? script?.versions.at(-1);
  if (!script || !version) return <Trouble error={`There is no script “${title}”.`} />;
  const alone = setupOf(state, { ...start.data, ...script.home }, version.text);
  const setup = state.markets ? withBasket(alone, state) : alone;
  return <Whole {...props} setup={setup} title={title} version={version.number} />;
}

interface WholeProps extends Props {
  onPack: (file: File | undefined) => void;
  setup: Setup;
  title: string;
  /** Of the script, or of the kept run. */
  version?: number;
  number?: number;
  kept?: KeptRun;
}

function Whole({ state, onState, onOpen, onPack, setup, title, version, number, kept }: WholeProps) {
  const catalogue = useQuery(catalogueQuery);
  const markets = useQuery(marketsQuery);
  const against = state.against ?? null;
  const [swings, setSwings] = useState(USUAL_SWINGS);
  const query = useQuery(reportQuery(setup, against, swings));
  const report = query.data;
  useEffect(() => {
    document.title = `${title || "Untitled"} on ${placeOf(setup)} ${setup.timeframe} · Report · Skelb`;
  }, [title, setup]);
  const ofBasket = isTogether(setup);
  const figures = catalogue.data?.figures ?? [];
  const own = ofBasket ? "holding an equal share of each" : `holding ${setup.market}`;
  return (
    <section className="flex h-full flex-col" data-testid="report-place">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-body text-soft">
        <h1 className="mr-auto text-sentence font-normal">
          {number === undefined ? (
            <Words state={state} setup={setup} title={title} version={version} onState={onState} />
          ) : (
            <>
              Report of <b className="text-base-content">run {number}</b>: {title || "untitled"} on{" "}
              <b className="num text-base-content">{placeOf(setup)}</b> at{" "}
              <b className="num text-base-content">{setup.timeframe}</b>
              {report && (
                <>
                  , {dateText(report.first)} to {dateText(report.last)}
                </>
              )}
            </>
          )}
          , against{" "}
          <Picker
            label="Held against"
            value={against ?? ""}
            options={[
              { value: "", label: own },
              ...(markets.data ?? []).map((market) => ({ value: market.symbol, label: `holding ${market.symbol}` })),
            ]}
            onChange={(symbol) => onState({ ...state, against: symbol || undefined })}
          />
        </h1>
        <Doings
          setup={setup}
          title={title}
          against={against}
          swings={swings}
          isReady={report !== undefined}
          onOpen={() => onOpen(setup, state)}
          onPack={onPack}
        />
      </header>
      <div className="min-h-0 flex-1 overflow-auto px-4 py-3" data-testid="report" aria-busy={query.isFetching}>
        {query.error && <Trouble error={query.error.message} />}
        {!report && !query.error && <Loading what="Judging the run" />}
        {report && kept && <MadeAgain kept={kept} report={report} figures={figures} />}
        {report && catalogue.data && (
          <Survey
            key={JSON.stringify(setup)}
            report={report}
            figures={figures}
            held={against === null ? own : `holding ${against}`}
            worth={<Worth setup={setup} figures={figures} />}
            swings={{ value: swings, onChange: setSwings }}
            tryIt={(kind, level) => <TryIt key={`${kind} ${level}`} setup={setup} kind={kind} level={level} />}
            onShow={ofBasket ? undefined : (from, to) => onOpen(setup, state, { from, to })}
          />
        )}
      </div>
    </section>
  );
}

const AGAIN = ["net_profit", "return_over_drawdown", "trades"];

/** Where a kept run comes to something else now than when it was kept: its bars, or the program, are others since. */
function MadeAgain({ kept, report, figures }: { kept: KeptRun; report: Report; figures: FigureInfo[] }) {
  const told = AGAIN.flatMap((key) => {
    const figure = figures.find((item) => item.key === key);
    const [before, now] = [kept.figures.all?.[key], report.figures.all?.[key]];
    const isSame = before === now || Math.abs((before ?? NaN) - (now ?? NaN)) < 1e-6;
    return !figure || isSame ? [] : `${figure.name} ${figureText(figure, before)}, now ${figureText(figure, now)}`;
  });
  if (told.length === 0) return null;
  return (
    <p className="mb-3 border-l-2 border-brass pl-3" data-testid="made-again">
      It comes to something else than when it was kept: {told.join("; ")}. Its bars, or Skelb, are others since; here is
      what it comes to now.
    </p>
  );
}

/** The setup in words that open. */
function Words({
  state,
  setup,
  title,
  version,
  onState,
}: Pick<WholeProps, "state" | "setup" | "title" | "version" | "onState">) {
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const accounts = useQuery(accountsQuery);
  if (!markets.data || !accounts.data) return <>Report of {title}</>;
  const put = (change: Partial<ReportState>) => onState({ ...state, ...change });
  const words = { setup, markets: markets.data, accounts: accounts.data, onPut: put };
  return (
    <>
      Report of{" "}
      <Picker
        label="Script"
        value={title}
        options={(scripts.data ?? []).map((item) => ({ value: item.title, label: item.title }))}
        onChange={(script) => put({ script, version: undefined, inputs: undefined })}
      />{" "}
      v{version} on {state.markets ? <b>{placeOf(setup)}</b> : <MarketWord {...words} />} at{" "}
      <TimeframeWord {...words} /> from <SpanWord {...words} /> with <AccountWord {...words} />,{" "}
      <SidesWord {...words} />
    </>
  );
}

interface DoingsProps {
  setup: Setup;
  title: string;
  against: string | null;
  swings: Swings;
  isReady: boolean;
  onOpen: () => void;
  onPack: (file: File | undefined) => void;
}

const FORMS: { form: TableForm; name: string; ending: string }[] = [
  { form: "csv", name: "CSV", ending: "csv" },
  { form: "csv-comma", name: "CSV, decimal commas", ending: "csv" },
  { form: "parquet", name: "Parquet", ending: "parquet" },
];

/** What can be done with the report as a whole. */
function Doings({ setup, title, against, swings, isReady, onOpen, onPack }: DoingsProps) {
  const chooser = useRef<HTMLInputElement>(null);
  const pack = useMutation({
    mutationFn: () => savedPack(setup),
    onSuccess: (file) => saveFile(`${title || "Run"}.zip`, file, "application/zip"),
  });
  const page = useMutation({
    mutationFn: () => savedPage(setup, against, swings),
    onSuccess: (file) => saveFile(`${title || "Report"}.html`, file, "text/html"),
  });
  return (
    <span className="ml-auto flex flex-none items-center gap-2">
      {pack.error && <span className="text-note text-loss">{pack.error.message}</span>}
      {page.error && <span className="text-note text-loss">{page.error.message}</span>}
      <button
        type="button"
        className="plain-button"
        disabled={!isReady}
        title="Open this run in the workbench"
        onClick={onOpen}
      >
        Workbench
      </button>
      <Tables save={(of, form) => savedTable(setup, of, form)} title={title || "Run"} isReady={isReady} />
      <PopOver face="Pack" className="plain-button" side="right" title="The run in one file, to be made again anywhere">
        {(close) => (
          <span className="flex w-72 flex-col items-stretch gap-2 p-3">
            <button type="button" className="plain-button" disabled={!isReady} onClick={() => (pack.mutate(), close())}>
              Pack this run
            </button>
            <span className="text-note text-soft">
              Script, inputs, account, market, bars, trades and figures in one file, which anybody can make again.
            </span>
            <button type="button" className="plain-button" onClick={() => chooser.current?.click()}>
              Open a pack…
            </button>
            <span className="text-note text-soft">
              Or drop it here. It is made again with its own bars; what is stored is not touched.
            </span>
          </span>
        )}
      </PopOver>
      <input
        ref={chooser}
        type="file"
        accept=".zip"
        className="hidden"
        aria-label="A pack to open"
        onChange={(event) => onPack(event.target.files?.[0])}
      />
      <button
        type="button"
        className="main-button"
        disabled={!isReady}
        title="One file that opens anywhere and prints"
        onClick={() => !page.isPending && page.mutate()}
      >
        Save page
      </button>
    </span>
  );
}

interface TablesProps {
  save: (of: TableOf, form: TableForm) => Promise<Blob>;
  title: string;
  isReady: boolean;
}

function Tables({ save, title, isReady }: TablesProps) {
  const table = useMutation({
    mutationFn: ({ of, form }: { of: TableOf; form: TableForm; ending: string }) => save(of, form),
    onSuccess: (file, { of, ending }) => saveFile(`${title} ${of}.${ending}`, file, file.type),
  });
  return (
    <>
      {table.error && <span className="text-note text-loss">{table.error.message}</span>}
      <PopOver
        face="Tables"
        className="plain-button"
        side="right"
        disabled={!isReady}
        title="Trades and equity as files"
      >
        {(close) => (
          <span className="grid w-max grid-cols-[auto_auto] gap-x-6 p-3 whitespace-nowrap">
            {(["trades", "equity"] as const).map((of) => (
              <span key={of} className="flex flex-col items-stretch">
                <b className="first-letter:uppercase">{of}</b>
                {FORMS.map((item) => (
                  <button
                    key={item.form}
                    type="button"
                    className="cursor-pointer py-1 text-left hover:underline"
                    onClick={() => (table.mutate({ of, ...item }), close())}
                  >
                    {item.name}
                  </button>
                ))}
              </span>
            ))}
          </span>
        )}
      </PopOver>
    </>
  );
}
