import { useEffect, useState } from "react";
import { agoText, plain } from "@/ui";
import type { Standing } from "./useLiveRun";

interface Props {
  standing: Standing;
  /** Whether there is a run in view at all. */
  hasRun: boolean;
  /** Whether the text in view is that of the run; then its setup is not. */
  isSameText: boolean;
  leftAt: number | null;
  onStop: () => void;
  onCompute: () => void;
}

const BREATH_MS = 250; // what takes no longer is not worth a word

/** Of what the figures, the chart and the trades are: of what is in view, or of what it was how long ago. */
export function StandingLine({ standing, hasRun, isSameText, leftAt, onStop, onCompute }: Props) {
  const { kind } = standing;
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (kind === "current") return;
    const first = window.setTimeout(() => setNow(Date.now()), BREATH_MS + 10);
    const timer = window.setInterval(() => setNow(Date.now()), 1000);
    return () => {
      window.clearTimeout(first);
      window.clearInterval(timer);
    };
  }, [kind, leftAt]);
  const isOld = kind !== "current" && (kind !== "computing" || leftAt === null || now - leftAt > BREATH_MS);
  const of =
    kind === "unsound"
      ? `of the last sound text, ${agoText(now - (leftAt ?? now))}`
      : `of the ${isSameText ? "setup" : "text"} as it was ${agoText(now - (leftAt ?? now))}`;
  return (
    <div
      className={`flex h-[22px] flex-none items-center border-b border-line px-4 text-note ${isOld ? "bg-brass font-semibold text-base-100" : "text-soft"}`}
      data-testid="standing"
      data-standing={kind}
      aria-busy={kind !== "current"}
    >
      {!isOld ? (
        <span className="ml-auto">
          {standing.kind === "current" ? `answered in ${plain(Math.max(1, Math.round(standing.tookMs)), 0)} ms` : ""}
        </span>
      ) : (
        <>
          {hasRun && <span>{of}</span>}
          {standing.kind === "computing" && (
            <>
              <span className="whitespace-pre">
                {hasRun && " · "}computing, {plain(standing.done * 100, 0)} % ·{" "}
              </span>
              <button type="button" className="cursor-pointer underline" onClick={onStop}>
                stop
              </button>
            </>
          )}
          {standing.kind === "stopped" && (
            <>
              <span className="whitespace-pre">
                {hasRun && " · "}stopped at {plain(standing.done * 100, 0)} % ·{" "}
              </span>
              <button type="button" className="cursor-pointer underline" onClick={onCompute}>
                compute
              </button>
            </>
          )}
          {standing.kind === "failed" && <span className="whitespace-pre">{hasRun && " · "}this could not be run</span>}
          {standing.kind === "unsound" && !hasRun && <span>nothing is run until the text checks clean</span>}
        </>
      )}
    </div>
  );
}
