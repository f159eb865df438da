import type { Trial } from "@/api";
import { durationText, plain } from "@/ui";
import { DoneBar } from "./DoneBar";
import { bytesText, SIGNAL } from "./model";
import { lookText } from "./SplitEditor";
import type { TrialControl } from "./useTrial";

/** Start, stop, go on. */
export function TrialButtons({ control }: { control: TrialControl }) {
  const { trial, plan, begin, act } = control;
  const isRunning = trial?.state === "running";
  const canStart = plan.data !== undefined && !plan.isError && !begin.isPending;
  return (
    <span className="flex gap-2 text-body">
      {trial?.state === "stopped" && (
        <button type="button" className="plain-button" onClick={() => act.mutate("go_on")}>
          Go on
        </button>
      )}
      {/* One button that starts and stops: the focus stays where it is. */}
      <button
        type="button"
        className="main-button"
        aria-disabled={!isRunning && !canStart}
        onClick={() => (isRunning ? act.mutate("stop") : canStart && begin.mutate())}
      >
        {isRunning ? "Stop" : plan.data && !plan.isError ? `Start ${plain(plan.data.total, 0)} runs` : "Start"}
      </button>
    </span>
  );
}

/** How far the trial in view is; before there is one, what starting would take. */
export function TrialProgress({ control }: { control: TrialControl }) {
  const { trial, plan } = control;
  const ahead =
    plan.data && !plan.isError
      ? `${plain(plan.data.total, 0)} runs, ${plan.data.seconds < 1 ? "" : "about "}${durationText(plan.data.seconds)} and ${bytesText(plan.data.memory_bytes)}`
      : null;
  return (
    <div className="flex h-11 flex-none items-center gap-4 border-b border-line px-4" role="status">
      {trial ? (
        <Progress trial={trial} />
      ) : plan.error ? (
        <span className="text-loss">{plan.error.message}</span>
      ) : (
        <span className="text-soft">{ahead ?? "counting the runs…"}</span>
      )}
      {trial &&
        trial.state !== "running" &&
        (plan.error ? (
          <span className="text-loss">{plan.error.message}</span>
        ) : (
          ahead && <span className="whitespace-nowrap text-soft">next: {ahead}</span>
        ))}
    </div>
  );
}

function Progress({ trial }: { trial: Trial }) {
  const left = trial.rate && trial.state === "running" ? (trial.total - trial.done) / trial.rate : null;
  return (
    <>
      <b className="whitespace-nowrap">
        {plain(trial.done, 0)} of {plain(trial.total, 0)} runs
      </b>
      <span className="num max-w-72 truncate text-soft" title={`Trial ${trial.id} of ${trial.title}`}>
        {trial.axes.map((axis) => (axis.name === SIGNAL ? "entries" : axis.name)).join(" × ")}
      </span>
      <DoneBar done={trial.done} total={trial.total} />
      <span className={trial.state === "failed" || trial.message ? "text-loss" : "whitespace-nowrap text-soft"}>
        {trial.state === "running"
          ? `${trial.rate ? `${plain(trial.rate, 0)} runs / s` : "starting"}${left === null ? "" : `, ${durationText(left)} left`}`
          : trial.state}
        {trial.message && `: ${trial.message}`}
      </span>
      {trial.looks_ever > 0 && (
        <span
          className="whitespace-nowrap text-brass"
          title="Days that were held back from this script on this market were looked at: what is found since may owe something to that"
          data-testid="looks-ever"
        >
          held-back days seen: {lookText(trial.looks_ever)}
        </span>
      )}
    </>
  );
}
