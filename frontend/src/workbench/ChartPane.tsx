import { useEffect, useRef, type KeyboardEvent } from "react";
import type { Run, Trace } from "@/api";
import { useColors } from "@/ui";
import type { ChartHandlers, ChartStack } from "./chart/stack";

interface Props {
  chart: ChartStack;
  run: Run;
  symbol: string;
  chosen: number | null;
  lanes: string[];
  /** The last bar shown while the run is followed; null when all is. */
  cover: number | null;
  /** The equity of the pinned run. */
  pinned: Trace | null;
  handlers: ChartHandlers;
  /** Keys that mean something besides moving about the chart; true when one was taken. */
  onKey: (key: string) => boolean;
}

/** Where the chart is drawn, with the keys that move about it. */
export function ChartPane({ chart, run, symbol, chosen, lanes, cover, pinned, handlers, onKey }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const colors = useColors();
  useEffect(() => chart.listen(handlers)); // before it is given anything to ask about
  useEffect(() => chart.attach(host.current!), [chart]);
  useEffect(() => chart.setRun(run, symbol), [chart, run, symbol]);
  useEffect(() => chart.setLanes(lanes), [chart, lanes]);
  useEffect(() => chart.setChosen(chosen), [chart, chosen]);
  useEffect(() => chart.setCover(cover), [chart, cover, run]);
  useEffect(() => chart.setPinned(pinned), [chart, pinned]);
  useEffect(() => chart.repaint(), [chart, colors]);

  const keys: Record<string, () => void> = {
    ArrowLeft: () => chart.pan(-0.1),
    ArrowRight: () => chart.pan(0.1),
    PageUp: () => chart.pan(-0.9),
    PageDown: () => chart.pan(0.9),
    "+": () => chart.zoom(0.8),
    "-": () => chart.zoom(1.25),
    Home: () => chart.fit(),
    h: () => chart.holdOrLetGo(),
    Escape: () => chart.letGo(),
    ",": () => chart.holdNext(-1),
    ".": () => chart.holdNext(1),
  };
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (onKey(event.key)) return event.preventDefault();
    const act = keys[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  };
  return (
    <div
      ref={host}
      role="application"
      aria-label={
        `Chart of ${symbol}. Arrow keys move, plus and minus zoom, Home shows all, n and p go to the next and previous` +
        " trade, h or a click holds a bar, comma and point hold the one before and after, Escape lets it go, l opens a" +
        " bar, t shows other bars, f follows the run with its future covered."
      }
      tabIndex={0}
      data-testid="chart"
      className="h-full w-full cursor-crosshair overflow-hidden"
      onKeyDown={press}
    />
  );
}
