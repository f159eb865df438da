import { useEffect, useImperativeHandle, useRef, type KeyboardEvent, type Ref } from "react";
import type { ChartWindow, Run } from "@/api";
import { useTheme } from "@/ui";
import { ChartStack } from "./chart/stack";

export interface ChartHandle {
  setWindow: (window: ChartWindow) => void;
  flyTo: (row: number) => void;
  goToTime: (time: string) => void;
}

interface Props {
  ref: Ref<ChartHandle>;
  run: Run;
  symbol: string;
  chosen: number | null;
  /** Go to the next trade shown, or the one before. */
  onStep: (by: 1 | -1) => void;
  onAsk: (run: string, first: number, last: number, columns: number) => void;
  /** The bar under the pointer, or the held one; null when there is none. */
  onBar: (run: string, bar: number | null) => void;
}

/** The chart, driven by mouse and keys. */
export function ChartPane({ ref, run, symbol, chosen, onStep, onAsk, onBar }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const stack = useRef<ChartStack | null>(null);
  const theme = useTheme();

  useEffect(() => {
    const made = new ChartStack(host.current!, { onAsk, onBar });
    stack.current = made;
    return () => {
      stack.current = null;
      made.destroy();
    };
  }, [onAsk, onBar]);

  useImperativeHandle(ref, () => ({
    setWindow: (window) => stack.current?.setWindow(window),
    flyTo: (row) => stack.current?.flyTo(row),
    goToTime: (time) => stack.current?.goToTime(Date.parse(time) / 1000),
  }));

  useEffect(() => stack.current?.setRun(run, symbol), [run, symbol]);
  useEffect(() => stack.current?.setChosen(chosen), [chosen]);
  useEffect(() => stack.current?.repaint(), [theme]);

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
    n: () => onStep(1),
    p: () => onStep(-1),
  };
  const onKey = (event: KeyboardEvent) => {
    const act = keys[event.key];
    if (!act || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    act();
  };
  return (
    <div
      ref={host}
      role="application"
      aria-label={`Chart of ${symbol}. Arrow keys move, plus and minus zoom, Home shows all, n and p go to the next and previous trade, h or a click holds a bar, comma and point hold the one before and after, Escape lets it go.`}
      tabIndex={0}
      data-testid="chart"
      className="h-full w-full cursor-crosshair overflow-hidden"
      onKeyDown={onKey}
    />
  );
}
