import { InputsWord } from "@/setup";
import { later, Notice, Trouble } from "@/ui";
import { costsOfLast } from "./trades/model";
import { Sentence } from "./Sentence";
import { Soundings } from "./Soundings";
import { StandingLine } from "./StandingLine";
import type { Bench } from "./useBench";

const Notices = later(() => import("./Notices").then((found) => found.Notices));

/** Above the columns: the setup in words, the figures, how they stand to what is in view, and what is to be said. */
export function BenchHead({ bench }: { bench: Bench }) {
  const { state, onState, live, follow, chart } = bench;
  return (
    <>
      <Sentence
        state={state}
        setup={bench.setup}
        title={bench.title}
        version={bench.opened.number}
        isSaved={bench.isSaved}
        scripts={bench.scripts}
        markets={bench.markets}
        accounts={bench.accounts}
        lastCosts={live.run && live.isOfView ? costsOfLast(live.run.trades) : null}
        accountRef={bench.accountRef}
        onSize={() => bench.setFace("Sheet")}
        onState={onState}
      >
        <Doings bench={bench} />
      </Sentence>
      {state.inputs && (
        <div className="flex-none border-b border-line px-4 py-[2px] text-body text-soft">
          <InputsWord
            state={state}
            inputs={live.answer?.inputs ?? []}
            onPut={(change) => onState({ ...state, ...change })}
          />
        </div>
      )}
      <Soundings
        run={live.run}
        all={follow.following ? follow.figures : (live.run?.figures.all ?? null)}
        isCovered={bench.isCovered}
        figures={bench.catalogue.figures}
        pinned={bench.pinned}
        againstRef={bench.againstRef}
        isOld={!live.isOfView || (follow.following !== null && !follow.isCurrent)}
        onPin={(number) => onState({ ...state, pinned: number }, true)}
        onUnpin={() => onState({ ...state, pinned: undefined }, true)}
        onFinding={(time) => void chart.goToTime(Date.parse(time) / 1000)}
        onFigures={() => bench.showOver("figures")}
      />
      <StandingLine
        standing={live.standing}
        hasRun={live.run !== null}
        isSameText={live.isSameText}
        leftAt={live.leftAt}
        onStop={live.stop}
        onCompute={live.computeAgain}
      />
      <Said bench={bench} />
    </>
  );
}

/** What can be done with the run as a whole. */
function Doings({ bench }: { bench: Bench }) {
  const { live, keep } = bench;
  const isSound = live.isOfView || (live.answer?.sound ?? false);
  return (
    <>
      <button
        type="button"
        className="plain-button"
        disabled={!isSound}
        title="From the script's conditions to a strategy"
        onClick={() => bench.setBuilding(true)}
      >
        Make rules
      </button>
      <button
        type="button"
        className="plain-button"
        disabled={!isSound || !live.answer?.inputs.length}
        onClick={() => bench.sweep()}
      >
        Sweep
      </button>
      <button
        type="button"
        className="plain-button"
        disabled={!isSound || !live.run?.is_strategy}
        title="The run judged whole: its months, where it earned, what each line is worth (Alt R)"
        onClick={bench.report}
      >
        Report
      </button>
      <button
        type="button"
        className="plain-button"
        disabled={!isSound || !live.run?.is_strategy}
        title="Make it worse on purpose: costs, later fills, other times, its trades drawn anew"
        onClick={bench.doubt}
      >
        Doubt
      </button>
      <button
        type="button"
        className="main-button"
        disabled={!isSound}
        aria-disabled={keep.isPending}
        onClick={() => !keep.isPending && keep.mutate(bench.setup)}
        title="Keep this run in the logbook (Alt K); the first one is what later figures are compared with"
      >
        Keep
      </button>
    </>
  );
}

/** Everything that is to be said of what is in view, what went wrong last. */
function Said({ bench }: { bench: Bench }) {
  const { state, onState, live, script, saving, drawn } = bench;
  const { standing } = live;
  const error =
    (standing.kind === "failed" ? standing.reason : null) ?? bench.keep.error?.message ?? saving.error?.message ?? null;
  return (
    <>
      <Notices
        state={state}
        setup={bench.setup}
        title={bench.title}
        opened={bench.opened}
        script={script}
        markets={bench.markets}
        inputs={live.isOfView ? (live.answer?.inputs ?? null) : null}
        pinnedError={bench.pinnedError}
        savedElsewhere={saving.savedElsewhere}
        onState={onState}
        onCompare={(other) => {
          if ("text" in other) return bench.setCompared({ name: "the other window's text", text: other.text });
          bench.setCompared({
            name: `version ${other.version}`,
            text: script?.versions.find((item) => item.number === other.version)?.text ?? "",
          });
          saving.looked();
        }}
        onText={bench.setText}
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
    </>
  );
}
