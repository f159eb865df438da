import { Group, Panel, Separator } from "react-resizable-panels";
import { later, Loading, useNarrow } from "@/ui";
import { BenchDialogs } from "./BenchDialogs";
import { BenchHead } from "./BenchHead";
import { ChartDesk } from "./ChartDesk";
import { titleIn } from "./model";
import { ScriptColumn } from "./ScriptColumn";
import { useBench, type Bench as OfBench, type BenchProps } from "./useBench";

const FiguresSheet = later(() => import("./FiguresSheet").then((found) => found.FiguresSheet));
const Lesson = later(() => import("./voyage/Lesson").then((found) => found.Lesson));
const BringOver = later(() => import("./bring/BringOver").then((found) => found.BringOver));
const PlanBuilder = later(() => import("./builder/PlanBuilder").then((found) => found.PlanBuilder));
const TradesColumn = later(
  () => import("./trades/TradesColumn").then((found) => found.TradesColumn),
  <div className="w-[212px] flex-none border-l border-line bg-base-100" />, // nothing moves when it comes
);
const TradesTable = later(() => import("./trades/TradesTable").then((found) => found.TradesTable));

/** A script on a market: what is said of it above, the script, the chart and the trades beside one another. */
export function Bench(props: BenchProps) {
  const bench = useBench(props);
  const isNarrow = useNarrow();
  if (bench.isBuilding) return <Building bench={bench} />;
  const { live, trades, isCovered } = bench;
  const isBringing = bench.tool === "bring";
  return (
    <div className="relative h-full">
      <section className={`flex h-full flex-col ${isNarrow ? "overflow-auto" : ""}`} inert={isBringing}>
        <BenchHead bench={bench} />
        <Lesson bench={bench} />
        <div className={`relative flex flex-1 ${isNarrow ? "flex-none flex-col" : "min-h-0"}`}>
          <Group
            orientation={isNarrow ? "vertical" : "horizontal"}
            className="min-w-0 flex-1"
            style={isNarrow ? { height: "64rem", flex: "none" } : undefined}
          >
            <Panel defaultSize="38%" minSize="280px" className="flex flex-col border-r border-line bg-base-100">
              <ScriptColumn bench={bench} />
            </Panel>
            <Separator
              className={isNarrow ? "h-1 cursor-row-resize hover:bg-shallow" : "w-1 cursor-col-resize hover:bg-shallow"}
              aria-label="Width of the script"
            />
            <Panel minSize="380px" className="flex min-w-0 flex-col">
              <ChartColumn bench={bench} />
            </Panel>
          </Group>
          {live.run?.is_strategy && (
            <TradesColumn
              run={live.run}
              shown={trades.shown}
              ended={trades.ended}
              against={isCovered ? null : trades.against}
              onWhy={isCovered ? null : () => bench.setFunnelOpen(true)}
              filter={trades.filter}
              onFilter={trades.setFilter}
              chosen={bench.chosen}
              onChoose={bench.choose}
              onTable={() => bench.showOver("trades")}
            />
          )}
          <OverTheChart bench={bench} />
        </div>
        <BenchDialogs bench={bench} />
      </section>
      {/* Over the rest, which stays as it is: what was typed can still be undone. */}
      {isBringing && (
        <div className="absolute inset-0 z-20 bg-base-200">
          <BringOver
            setup={bench.setup}
            state={bench.state}
            onState={bench.onState}
            markets={bench.markets}
            accounts={bench.accounts}
            onTake={bench.setText}
            onClose={() => bench.setTool(null)}
          />
        </div>
      )}
    </div>
  );
}

/** The chart, or why there is none. */
function ChartColumn({ bench }: { bench: OfBench }) {
  const { state, onState, live, drawn, chosen, cover } = bench;
  if (!live.run || !drawn.run) {
    if (drawn.isReading || live.standing.kind === "computing")
      return <Loading what={drawn.isReading ? "Reading the bars" : "Computing"} />;
    return (
      <p className="p-6 text-soft">
        {live.standing.kind === "failed"
          ? "There is no chart of this: what is wrong stands above."
          : "The chart appears as soon as the script checks clean."}
      </p>
    );
  }
  const isYetToCome = chosen !== null && cover !== null && (live.run.trades.exit_bar[chosen] ?? 0) > cover;
  return (
    <ChartDesk
      chart={bench.chart}
      run={drawn.run}
      title={bench.title}
      symbol={bench.setup.market}
      chosen={isYetToCome ? null : chosen}
      follow={bench.follow}
      runTimeframe={live.run.timeframe}
      chartTimeframe={state.chart}
      onChartTimeframe={(timeframe) => onState({ ...state, chart: timeframe })}
      pinned={bench.pinnedTrace}
      ask={live.ask}
      onStepTrade={bench.stepTrade}
      onAsk={live.askWindow}
      onBar={live.askBar}
    />
  );
}

/** The sheets that rise over the chart and the columns beside it. */
function OverTheChart({ bench }: { bench: OfBench }) {
  const { live, over, trades } = bench;
  if (!live.run || over === null) return null;
  if (over === "figures")
    return (
      <FiguresSheet
        run={live.run}
        figures={bench.catalogue.figures}
        pinned={bench.pinned}
        onTrade={bench.choose}
        onMoment={(moment) => void bench.chart.goToTime(moment)}
        onClose={bench.closeOver}
      />
    );
  return (
    <TradesTable
      run={live.run}
      title={bench.title}
      shown={trades.shown}
      ended={trades.ended}
      chosen={bench.chosen}
      onShow={bench.choose}
      onClose={bench.closeOver}
    />
  );
}

/** The plan builder in place of everything else. */
function Building({ bench }: { bench: OfBench }) {
  return (
    <PlanBuilder
      setup={bench.setup}
      title={titleIn(bench.text) || bench.title}
      scripts={bench.scripts}
      catalogue={bench.catalogue}
      isSaving={bench.saving.isSaving}
      onMake={(made) =>
        bench.saving.save(made, (saved) => {
          bench.setBuilding(false);
          bench.onState(bench.openSaved(saved));
        })
      }
      onClose={() => bench.setBuilding(false)}
    />
  );
}
