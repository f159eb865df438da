import { OVERVIEW } from "./panes";
import { moved, zoomed, type View } from "./view";

/** What a pointer can do to a chart. */
export interface Handled {
  view: () => View;
  /** How many bars there are; 0 before there are any. */
  bars: () => number;
  /** Pixels that the bars in view take. */
  width: () => number;
  show: (view: View) => void;
  press: (bar: number) => void;
  fit: () => void;
}

const PRESS_PX = 3; // a pointer that moved less has pressed, not dragged

/** Wheel, drag and press on the chart, until the signal says that it is gone. */
export function listenToHands(root: HTMLElement, chart: Handled, signal: AbortSignal): void {
  const span = (view: View) => view.b - view.a;
  const barAt = (clientX: number) => {
    const view = chart.view();
    return view.a + ((clientX - root.getBoundingClientRect().left) / chart.width()) * span(view);
  };
  const wheel = (event: WheelEvent) => {
    const bars = chart.bars();
    if (bars === 0) return;
    event.preventDefault();
    const sideways = event.shiftKey ? event.deltaY : event.deltaX;
    const view = chart.view();
    if (Math.abs(sideways) > Math.abs(event.shiftKey ? 0 : event.deltaY)) {
      chart.show(moved(view, (sideways / chart.width()) * span(view), bars));
    } else {
      const factor = Math.exp(Math.max(-120, Math.min(120, event.deltaY)) * 0.0022);
      chart.show(zoomed(view, barAt(event.clientX), factor, bars));
    }
  };
  let from: { x: number; view: View } | null = null;
  const end = () => (from = null);
  const down = (event: PointerEvent) => {
    if (event.button !== 0 || event.clientY - root.getBoundingClientRect().top < OVERVIEW) return;
    from = { x: event.clientX, view: chart.view() };
    root.setPointerCapture(event.pointerId);
  };
  const drag = (event: PointerEvent) => {
    if (!from || chart.bars() === 0) return;
    chart.show(moved(from.view, ((from.x - event.clientX) / chart.width()) * span(from.view), chart.bars()));
  };
  const up = (event: PointerEvent) => {
    if (from && Math.abs(event.clientX - from.x) < PRESS_PX) chart.press(Math.round(barAt(event.clientX)));
    end();
  };
  root.addEventListener("wheel", wheel, { passive: false, signal });
  root.addEventListener("pointerdown", down, { signal });
  root.addEventListener("pointermove", drag, { signal });
  root.addEventListener("pointerup", up, { signal });
  root.addEventListener("pointercancel", end, { signal });
  root.addEventListener("dblclick", chart.fit, { signal });
}
