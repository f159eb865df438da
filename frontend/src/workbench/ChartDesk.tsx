import { useEffect, useRef, useState } from "react";
import type { AskOnce, LensView, Run, Trace } from "@/api";
import { DateField, TimeframePicker } from "@/setup";
import { later, Notice, tellAll, useCommands, type Command } from "@/ui";
import { ChartPane } from "./ChartPane";
import { useLanes } from "./chart/useLanes";
import { priceDigits } from "./chart/digits";
import type { ChartStack } from "./chart/stack";
import type { useFollow } from "./follow/useFollow";

const TradeSentence = later(() => import("./trades/TradeSentence").then((found) => found.TradeSentence));

const LaneChooser = later(() => import("./chart/LaneChooser").then((found) => found.LaneChooser));
const FollowBar = later(() => import("./follow/FollowBar").then((found) => found.FollowBar));
const Lens = later(() => import("./lens/Lens").then((found) => found.Lens));

interface Props {
  chart: ChartStack;
  run: Run;
  title: string;
  symbol: string;
  chosen: number | null;
  follow: ReturnType<typeof useFollow>;
  /** The timeframe of the run, and of the chart where that is another. */
  runTimeframe: string;
  chartTimeframe: string | undefined;
  onChartTimeframe: (timeframe: string | undefined) => void;
  pinned: Trace | null;
  ask: AskOnce;
  onStepTrade: (by: 1 | -1) => void;
  onAsk: (run: string, first: number, last: number, columns: number) => void;
  onBar: (run: string, bar: number | null) => void;
}

/** The chart with what is done at it: following, the lens, lanes, going to a time; below it the trade in view. */
export function ChartDesk({
  chart,
  run,
  title,
  symbol,
  chosen,
  follow,
  runTimeframe,
  chartTimeframe,
  onChartTimeframe,
  pinned,
  ask,
  onStepTrade,
  onAsk,
  onBar,
}: Props) {
  const lanes = useLanes(run, title);
  const [lens, setLens] = useState<LensView | null>(null);
  const { following } = follow;
  const cover = following?.bar ?? null;
  const onLevels = async (key: string, first: number, last: number) => {
    const told = await ask("levels", { run: key, first, last });
    return told.kind === "answer" ? told.answer.levels : [];
  };
  const onPlace = async (key: string, times: number[]) => {
    const told = await ask("bars_at", { run: key, times, closed: false });
    return told.kind === "answer" ? told.answer.bars : null;
  };
  const [trouble, setTrouble] = useState<string | null>(null);
  const jump = (lane: string, way: 1 | -1) => {
    const bar = chart.here() ?? run.last;
    void ask("next", { run: run.key, lane, bar, way }).then((told) => {
      setTrouble(told.kind === "failed" ? told.reason : null);
      if (told.kind !== "answer") return;
      const found = told.answer.bar;
      if (found === null || (cover !== null && found > cover))
        tellAll(`${lane}: there is no ${way > 0 ? "later" : "earlier"} time.`);
      else chart.hold(found);
    });
  };
  const open = (bar: number) =>
    void ask("lens", { run: run.key, bar: Math.max(run.first, Math.min(cover ?? run.last, bar)) }).then((told) => {
      setTrouble(told.kind === "failed" ? told.reason : null);
      if (told.kind === "answer") setLens(told.answer);
    });
  const openHere = () => open(chart.here() ?? run.last);
  const stepLens = (by: 1 | -1) => {
    if (!lens) return;
    open(lens.bar + by);
    chart.hold(lens.bar + by);
  };
  const begin = () => {
    follow.begin(chart.start());
    chart.focus();
  };
  const onKey = (key: string): boolean => {
    const always: Record<string, () => void> = {
      n: () => onStepTrade(1),
      p: () => onStepTrade(-1),
      l: openHere,
      f: begin,
      t: () => picker.current?.querySelector("select")?.focus(),
    };
    const covered: Record<string, () => void> = {
      ArrowRight: () => follow.step(1),
      ArrowLeft: () => follow.step(-1),
      ".": () => follow.step(1),
      ",": () => follow.step(-1),
      " ": () => follow.play(),
      e: () => follow.toEvent(),
      End: () => follow.toEnd(),
      Escape: () => follow.leave(),
      f: () => follow.leave(),
    };
    if (key === "Escape" && lens) {
      setLens(null);
      return true;
    }
    const act = (following ? covered[key] : undefined) ?? always[key];
    act?.();
    return act !== undefined;
  };
  const picker = useRef<HTMLSpanElement>(null);
  const commands = useRef<Record<string, () => void>>({});
  useEffect(() => {
    commands.current = {
      begin,
      openHere,
      next: () => onStepTrade(1),
      before: () => onStepTrade(-1),
      focus: () => chart.focus(),
    };
  });
  const [offered] = useState<Command[]>(() =>
    [
      ["Follow: cover the future", "begin"],
      ["Open this bar in the lens", "openHere"],
      ["Next trade", "next"],
      ["Trade before", "before"],
      ["To the chart", "focus"],
    ].map(([name, does]) => ({ name: name!, act: () => commands.current[does!]?.() })),
  );
  useCommands("Chart", offered);
  const isLensed = lens !== null && lens.run === run.key;
  return (
    <>
      <div
        className="flex h-7 flex-none items-center gap-2 border-b border-line px-2"
        aria-label="At the chart"
        role="toolbar"
      >
        {following ? (
          <FollowBar run={run} follow={follow} />
        ) : (
          <button
            type="button"
            className="bar-button"
            title="Cover the future and go through the run bar by bar (f)"
            onClick={begin}
          >
            Follow
          </button>
        )}
        <span className="ml-auto" />
        {!following && (
          <>
            <span ref={picker} className="text-note">
              <TimeframePicker
                label="Bars of the chart"
                value={chartTimeframe ?? ""}
                extra={[{ value: "", label: `the run's bars, ${runTimeframe}` }]}
                onChange={(next) => onChartTimeframe(next === "" || next === runTimeframe ? undefined : next)}
              />
            </span>
            <DateField
              label="Go to a day"
              value=""
              placeholder="go to a day"
              className="picker w-24 !text-note !font-normal text-soft"
              onDay={(day) => void chart.goToTime(Date.parse(`${day}T00:00Z`) / 1000)}
            />
          </>
        )}
        <button
          type="button"
          className="bar-button"
          title="Open the held bar, or the last in view, into its finer bars (l)"
          onClick={openHere}
        >
          Lens
        </button>
        <LaneChooser rows={lanes.rows} onShow={lanes.show} onMove={lanes.move} onJump={jump} />
      </div>
      {trouble && <Notice text={trouble} />}
      <div className="relative min-h-0 flex-1">
        <ChartPane
          chart={chart}
          run={run}
          symbol={symbol}
          chosen={chosen}
          lanes={lanes.shown}
          cover={cover}
          pinned={pinned}
          handlers={{ onAsk, onBar, onLevels, onPlace, onLane: (lane) => jump(lane, 1) }}
          onKey={onKey}
        />
        {isLensed && <Lens view={lens} run={run} onStep={stepLens} onClose={() => setLens(null)} />}
      </div>
      {chosen !== null && (
        <TradeSentence run={run} symbol={symbol} row={chosen} digits={priceDigits(run.tick)} onStep={onStepTrade} />
      )}
    </>
  );
}
