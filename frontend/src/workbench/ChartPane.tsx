import { useEffect, useImperativeHandle, useRef, type KeyboardEvent, type Ref } from "react";
import type { ChartWindow, LevelsInForce, Run, Trace } from "@/api";
import { useColors } from "@/ui";
import { ChartStack } from "./chart/stack";

export interface ChartHandle {
  setWindow: (window: ChartWindow) => void;
  /** The data that was asked for could not be read. */
  noWindow: () => void;
  /** When a bar opened, as it was told. */
  knowBar: (bar: number, moment: number) => void;
  flyTo: (row: number) => void;
  goToTime: (time: string) => void;
  hold: (bar: number) => void;
  /** The bar that is held, pointed at, or last in view. */
  here: () => number | null;
  /** The bar at which following begins. */
  start: () => number;
  focus: () => void;
}

interface Props {
  ref: Ref<ChartHandle>;
  run: Run;
  symbol: string;
  chosen: number | null;
  lanes: string[];
  /** The last bar shown while the run is followed; null when all is. */
  cover: number | null;
  /** The equity of the pinned run. */
  pinned: Trace | null;
  onAsk: (run: string, first: number, last: number, columns: number) => void;
  /** The bar under the pointer, or the held one; null when there is none. */
  onBar: (run: string, bar: number | null) => void;
  onLevels: (run: string, first: number, last: number) => Promise<LevelsInForce[]>;
  onLane: (lane: string) => void;
  onPlace: (run: string, times: number[]) => Promise<number[] | null>;
  /** Keys that mean something besides moving about the chart; true when one was taken. */
  onKey: (key: string) => boolean;
}

/** The chart, driven by mouse and keys. */
export function ChartPane({
  ref,
  run,
  symbol,
  chosen,
  lanes,
  cover,
  pinned,
  onAsk,
  onBar,
  onLevels,
  onLane,
  onPlace,
  onKey,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const stack = useRef<ChartStack | null>(null);
  const colors = useColors();
  const pressed = useRef(onLane);
  useEffect(() => {
    pressed.current = onLane;
  });

  useEffect(() => {
    const made = new ChartStack(host.current!, {
      onAsk,
      onBar,
      onLevels,
      onPlace,
      onLane: (lane) => pressed.current(lane),
    });
    stack.current = made;
    return () => {
      stack.current = null;
      made.destroy();
    };
  }, [onAsk, onBar, onLevels, onPlace]);

  useImperativeHandle(ref, () => ({
    setWindow: (window) => stack.current?.setWindow(window),
    noWindow: () => stack.current?.noWindow(),
    knowBar: (bar, moment) => stack.current?.knowBar(bar, moment),
    flyTo: (row) => stack.current?.flyTo(row),
    goToTime: (time) => void stack.current?.goToTime(Date.parse(time) / 1000),
    hold: (bar) => stack.current?.holdBar(bar),
    here: () => stack.current?.here() ?? null,
    start: () => stack.current?.start() ?? 0,
    focus: () => host.current?.focus(),
  }));

  useEffect(() => stack.current?.setRun(run, symbol), [run, symbol]);
  useEffect(() => stack.current?.setLanes(lanes), [lanes]);
  useEffect(() => stack.current?.setChosen(chosen), [chosen]);
  useEffect(() => stack.current?.setCover(cover), [cover, run]);
  useEffect(() => stack.current?.setPinned(pinned), [pinned]);
  useEffect(() => stack.current?.repaint(), [colors]);

  const keys: Record<string, () => void> = {
    ArrowLeft: () => stack.current?.pan(-0.1),
    ArrowRight: () => stack.current?.pan(0.1),
    PageUp: () => stack.current?.pan(-0.9),
    PageDown: () => stack.current?.pan(0.9),
    "+": () => stack.current?.zoom(0.8),
    "-": () => stack.current?.zoom(1.25),
    Home: () => stack.current?.fit(),
    h: () => stack.current?.holdOrLetGo(),
    Escape: () => stack.current?.letGo(),
    ",": () => stack.current?.holdNext(-1),
    ".": () => stack.current?.holdNext(1),
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
      aria-label={`Chart of ${symbol}. Arrow keys move, plus and minus zoom, Home shows all, n and p go to the next and previous trade, h or a click holds a bar, comma and point hold the one before and after, Escape lets it go, l opens a bar, t shows other bars, f follows the run with its future covered.`}
      tabIndex={0}
      data-testid="chart"
      className="h-full w-full cursor-crosshair overflow-hidden"
      onKeyDown={press}
    />
  );
}
