import { useEffect, useState } from "react";
import { goToStep, keepDraft, leaveVoyage, passStep, readDraft, useVoyage, VOYAGE } from "@/keeping";
import { Said, tellAll } from "@/ui";
import type { Bench } from "../useBench";
import { STEPS, VOYAGE_TITLE, type Facts } from "./steps";

/** The lesson, over the columns: one step of the way, which is done when it was really done. */
export function Voyage({ bench }: { bench: Bench }) {
  const { step, done } = useVoyage();
  const isHeld = useHeld(bench);
  const now = STEPS[step];
  const isDone = now?.isDone(factsOf(bench, isHeld, done)) ?? false;
  useEffect(() => {
    if (isDone) tellAll(`${VOYAGE[step]}: done.`);
  }, [isDone, step]);
  if (!now) return <Made bench={bench} />;
  const isElsewhere = step > 0 && bench.title !== VOYAGE_TITLE;
  return (
    <section
      aria-label="First voyage"
      className="flex flex-none items-start gap-4 border-b border-line border-l-4 border-l-short bg-base-100 px-4 py-2"
    >
      <p className="w-40 flex-none">
        <span className="num text-figure">{step + 1}</span>
        <span className="num text-soft"> of {STEPS.length}</span>
        <span className="block text-note text-soft">{VOYAGE[step]}</span>
      </p>
      <div className="min-w-0 flex-1">
        <p className="text-soft">
          <Said text={now.why} />
        </p>
        <p>
          <Said text={now.todo} />
        </p>
        {now.lines && <pre className="mt-1 font-mono text-body">{now.lines}</pre>}
      </div>
      <div className="flex flex-none items-center gap-2">
        <span role="status" className={isDone ? "text-gain" : "text-soft"}>
          {isDone ? "✓ done" : "not yet"}
        </span>
        {isElsewhere && (
          <button type="button" className="plain-button" onClick={() => openOwn(bench)}>
            {isBegun(bench) ? "Open its script" : "Begin a script"}
          </button>
        )}
        {step > 0 && (
          <button type="button" className="plain-button" onClick={() => goToStep(step - 1)}>
            Back
          </button>
        )}
        <button
          type="button"
          className={isDone ? "main-button" : "plain-button"}
          title={isDone ? undefined : "Go on without it"}
          onClick={() => passStep(isDone)}
        >
          {isDone ? "Next" : "Skip"}
        </button>
        <button type="button" className="plain-button" title="It waits here and in the guide" onClick={leaveVoyage}>
          Leave
        </button>
      </div>
    </section>
  );
}

/** The end of the way. */
function Made({ bench }: { bench: Bench }) {
  const skipped = [...useVoyage().skipped].sort((a, b) => a - b);
  return (
    <section
      aria-label="First voyage"
      className="flex flex-none items-center gap-4 border-b border-line border-l-4 border-l-short bg-base-100 px-4 py-2"
    >
      <p className="flex-1">
        That is the whole way: bars, a question, rules, what may be lost, a judgement, a doubt. Change one thing at a
        time from here, and keep what you tried.
        {skipped.length > 0 && (
          <span className="block text-soft">
            Skipped on the way:{" "}
            {skipped.map((step, place) => (
              <span key={step}>
                {place > 0 && ", "}
                <button type="button" className="cursor-pointer underline" onClick={() => goToStep(step)}>
                  {step + 1} {VOYAGE[step]}
                </button>
              </span>
            ))}
          </span>
        )}
      </p>
      <button type="button" className="plain-button" onClick={() => bench.report()}>
        Report
      </button>
      <button type="button" className="plain-button" onClick={() => goToStep(0)}>
        Begin anew
      </button>
      <button type="button" className="main-button" onClick={leaveVoyage}>
        Close
      </button>
    </section>
  );
}

const isSaved = (bench: Bench) => bench.scripts.some((script) => script.title === VOYAGE_TITLE);
const isBegun = (bench: Bench) => isSaved(bench) || readDraft(VOYAGE_TITLE, 0) !== null;

/** The voyage's own script: nothing but its title at first, later as it was left. */
function openOwn(bench: Bench): void {
  if (!isBegun(bench)) keepDraft(VOYAGE_TITLE, 0, `title "${VOYAGE_TITLE}"\n\n`, "");
  const isThere = isSaved(bench);
  bench.onState({ ...bench.state, script: VOYAGE_TITLE, version: isThere ? undefined : 0, inputs: undefined });
}

function factsOf(bench: Bench, isHeld: boolean, told: readonly string[]): Facts {
  const { run, isOfView } = bench.live;
  return {
    market: bench.setup.market,
    timeframe: bench.setup.timeframe,
    isOwn: bench.title === VOYAGE_TITLE,
    text: bench.text,
    isOfView: isOfView && run !== null,
    lines: run?.scene.lines.length ?? 0,
    lanes: run?.scene.lanes.length ?? 0,
    longs: run?.figures.long.trades ?? 0,
    shorts: run?.figures.short.trades ?? 0,
    isHeld,
    isFiguresOpen: bench.over === "figures",
    told,
  };
}

/** Whether a bar is held in the chart; the chart draws by itself, so it is asked now and then. */
function useHeld(bench: Bench): boolean {
  const [isHeld, setHeld] = useState(false);
  useEffect(() => {
    const timer = window.setInterval(() => setHeld(bench.chart.isHolding), 300);
    return () => window.clearInterval(timer);
  }, [bench.chart]);
  return isHeld;
}
