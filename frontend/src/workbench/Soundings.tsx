import type { RefObject } from "react";
import type { FigureInfo, Figures, KeptRun, Run } from "@/api";
import { difference, figureText, passes, PopOver, Said, usePassMarks } from "@/ui";
import { PassMarkEditor } from "./PassMarkEditor";
import { PinnedRuns } from "./PinnedRuns";

const SHOWN = [
  "net_profit",
  "return",
  "max_drawdown_percent",
  "return_over_drawdown",
  "profit_factor",
  "win_rate",
  "trades",
  "costs_share",
];

interface Props {
  run: Run | null;
  /** The figures to show: the run's, or while it is followed those up to the bar in view. */
  all: Figures | null;
  isCovered: boolean;
  figures: FigureInfo[];
  pinned: KeptRun | null;
  againstRef: RefObject<HTMLButtonElement | null>;
  /** Whether the figures are not of the text and setup in view. */
  isOld: boolean;
  onPin: (number: number) => void;
  onUnpin: () => void;
  onFinding: (time: string) => void;
  onFigures: () => void;
}

/** Eight figures with their difference from the pinned run, and the findings. */
export function Soundings({
  run,
  all,
  isCovered,
  figures,
  pinned,
  againstRef,
  isOld,
  onPin,
  onUnpin,
  onFinding,
  onFigures,
}: Props) {
  const marks = usePassMarks();
  // Findings judge the whole run: while its future is covered they would tell it.
  const findings = isCovered ? [] : (run?.findings ?? []);
  const before = pinned?.figures.all;
  const shown = SHOWN.map((key) => figures.find((figure) => figure.key === key)).filter(
    (figure) => figure !== undefined,
  );
  return (
    <div className="relative flex min-h-[52px] flex-none items-center border-b border-line px-4 py-1 max-[900px]:flex-wrap">
      <dl
        className={`flex flex-1 flex-wrap gap-y-1 ${isOld ? "text-soft italic" : ""}`}
        aria-busy={isOld}
        data-testid="soundings"
      >
        {shown.map((figure) => {
          const mark = marks[figure.key];
          const passed = run?.is_strategy ? passes(mark, all?.[figure.key]) : null;
          const change = difference(figure, all?.[figure.key], before?.[figure.key]);
          return (
            <div
              key={figure.key}
              className="flex min-w-[96px] flex-1 flex-col border-l border-line px-3 first:border-l-0 first:pl-0"
            >
              <dt className="order-2 flex items-baseline gap-1 leading-4 whitespace-nowrap">
                <PassMarkEditor figure={figure} mark={mark} />
                {mark && (
                  <span
                    title={`${passed ? "Passes" : "Does not pass"}: ${mark.way === "least" ? "at least" : "at most"} ${figureText(figure, mark.value)}`}
                    className={`num text-small ${passed ? "text-gain" : "text-loss"}`}
                    data-mark={figure.key}
                  >
                    {passed ? "✓" : "✕"}
                    {mark.way === "least" ? "≥" : "≤"}
                    {figureText(figure, mark.value)
                      .replace(/\.0+$|(\.\d*?)0+$/, "$1")
                      .replace(/^\+/, "")}
                  </span>
                )}
              </dt>
              <dd className="num order-1 text-figure leading-[18px] font-semibold" data-figure={figure.key}>
                <button
                  type="button"
                  tabIndex={-1}
                  className="cursor-pointer text-left"
                  title="All figures (Alt G)"
                  onClick={onFigures}
                >
                  {run?.is_strategy ? figureText(figure, all?.[figure.key]) : "–"}
                  {change && (
                    <span
                      className={`ml-1 inline-block whitespace-nowrap text-small font-normal ${change.better === null ? "text-soft" : change.better ? "text-gain" : "text-loss"}`}
                      data-change={figure.key}
                    >
                      {change.text}
                    </span>
                  )}
                </button>
              </dd>
            </div>
          );
        })}
      </dl>
      <button
        type="button"
        className="mr-3 cursor-pointer whitespace-nowrap text-note text-soft hover:text-base-content hover:underline"
        title="All figures as all, long and short (Alt G)"
        disabled={!run?.is_strategy || isCovered}
        onClick={onFigures}
      >
        all figures
      </button>
      <span className="mr-3 flex-none">
        <PinnedRuns pinned={pinned} buttonRef={againstRef} onPin={onPin} onUnpin={onUnpin} />
      </span>
      {isCovered || findings.length === 0 ? (
        <span className="text-body whitespace-nowrap text-soft">{isCovered ? "up to this bar" : "no findings"}</span>
      ) : (
        <PopOver
          face={`△ ${findings.length} finding${findings.length > 1 ? "s" : ""}`}
          className="cursor-pointer whitespace-nowrap text-body font-semibold text-brass"
          side="right"
        >
          {(close) => (
            <ul aria-label="Findings" className="max-h-80 w-[34rem] max-w-[90vw] overflow-auto">
              {findings.map((finding) => (
                <li
                  key={finding.code}
                  className="flex items-baseline gap-3 border-b border-line px-3 py-2 last:border-b-0"
                >
                  <span
                    className={`w-14 flex-none text-small italic ${finding.severity === "grave" ? "text-loss" : finding.severity === "warning" ? "text-brass" : "text-soft"}`}
                  >
                    {finding.severity}
                  </span>
                  <span className="flex-1">
                    <Said text={finding.message} />
                  </span>
                  {finding.time && (
                    <button
                      type="button"
                      className="cursor-pointer whitespace-nowrap text-long hover:underline"
                      onClick={() => {
                        onFinding(finding.time!);
                        close();
                      }}
                    >
                      show
                    </button>
                  )}
                </li>
              ))}
            </ul>
          )}
        </PopOver>
      )}
    </div>
  );
}
