import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { Run } from "@/api";
import type { Palette } from "@/ui";
import { axisText, priceDigits } from "./digits";
import { AXIS, LANE_HEIGHT, OVERVIEW, TIME_AXIS, type PaneInfo } from "./panes";
import type { Tick } from "./ticks";

const FONT = '11px "IBM Plex Mono", monospace';

export interface Pane {
  info: PaneInfo;
  plot: uPlot;
  legend: HTMLDivElement;
}

/** What a pane is built of, and what it asks for while it is drawn. */
export interface PaneSpec {
  info: PaneInfo;
  height: number;
  isLast: boolean;
  run: Run;
  lanes: string[];
  colors: Palette;
  syncKey: string;
  marks: () => Tick[];
  /** Whether the bars are here: until then there is nothing to measure, and no number is made up. */
  isKnown: () => boolean;
  onDraw: (plot: uPlot) => void;
  onCursor: () => void;
  onLane: (lane: string) => void;
}

/** A pane of the stack at the end of what stands there. */
export function buildPane(root: HTMLElement, spec: PaneSpec): Pane {
  const { info, colors } = spec;
  const holder = document.createElement("div");
  holder.className = "relative border-b border-line";
  root.append(holder);
  const legend = document.createElement("div");
  legend.className =
    "num legend pointer-events-none absolute left-2 top-1 z-10 flex flex-wrap gap-x-3 px-1 text-small leading-4";
  legend.style.maxWidth = `calc(100% - ${AXIS + 16}px)`;
  holder.append(legend);
  if (info.kind === "lanes")
    holder.append(...spec.lanes.map((lane, index) => laneName(lane, index, () => spec.onLane(lane))));
  const hasScale = info.kind !== "lanes";
  const digits = info.kind === "price" ? priceDigits(spec.run.tick) : info.kind === "panel" ? undefined : 0;
  const plot = new uPlot(
    {
      width: root.clientWidth,
      height: spec.height,
      padding: [0, 0, 0, 0],
      legend: { show: false },
      cursor: {
        y: false,
        points: { show: false },
        drag: { x: false, y: false, setScale: false },
        sync: { key: spec.syncKey, setSeries: false },
      },
      scales: { x: { time: false, auto: false }, y: { auto: false } },
      axes: [
        {
          show: spec.isLast,
          size: TIME_AXIS,
          stroke: colors.soft,
          font: FONT,
          grid: { show: false },
          ticks: { stroke: colors.line, width: 1, size: 4 },
          splits: () => spec.marks().map((tick) => tick.bar),
          values: () => spec.marks().map((tick) => tick.label),
        },
        {
          side: 1,
          size: AXIS,
          stroke: colors.soft,
          font: FONT,
          space: info.kind === "price" ? 44 : 24,
          grid: { show: hasScale, stroke: colors.line, width: 1 },
          ticks: { show: false },
          values: (_plot, splits) =>
            hasScale && info.kind !== "position" && spec.isKnown() ? axisTexts(splits, digits) : splits.map(() => ""),
        },
      ],
      series: [{}, { show: true, paths: () => null, points: { show: false } }],
      hooks: { draw: [spec.onDraw], setCursor: [spec.onCursor] },
    },
    [[0], [0]],
    holder,
  );
  return { info, plot, legend };
}

/** The whole run in one strip; pressing or dragging on it goes there. */
export function buildOverview(
  root: HTMLElement,
  run: Run,
  cover: number | null,
  colors: Palette,
  onDraw: (plot: uPlot) => void,
  onGo: (bar: number) => void,
): uPlot {
  const holder = document.createElement("div");
  holder.className = "relative border-b border-line";
  holder.title = "The whole run: press or drag to go there";
  root.append(holder);
  const plot = new uPlot(
    {
      width: root.clientWidth,
      height: OVERVIEW,
      padding: [3, AXIS, 3, 0],
      legend: { show: false },
      cursor: { show: false },
      scales: { x: { time: false }, close: {}, equity: {} },
      axes: [{ show: false }, { show: false, scale: "close" }, { show: false, scale: "equity" }],
      series: [
        {},
        { scale: "close", stroke: colors.soft, width: 1, points: { show: false }, alpha: 0.7 },
        { scale: "equity", stroke: colors.long, width: 1.5, points: { show: false }, show: run.is_strategy },
      ],
      hooks: { draw: [onDraw] },
    },
    overviewData(run, cover),
    holder,
  );
  const go = (event: PointerEvent) => {
    if (event.buttons !== 1) return;
    onGo(plot.posToVal(event.clientX - plot.over.getBoundingClientRect().left, "x"));
  };
  holder.addEventListener("pointerdown", go);
  holder.addEventListener("pointermove", go);
  return plot;
}

export function overviewData(run: Run, cover: number | null): uPlot.AlignedData {
  const { x, close, equity } = run.overview;
  if (cover === null) return [x, close, equity];
  const shown = (values: number[]) => values.map((value, place) => (x[place]! <= cover ? value : null));
  return [x, shown(close), shown(equity)];
}

/** A lane's name at its left end; pressing it goes to the next bar on which it turns yes. */
function laneName(lane: string, index: number, onPress: () => void): HTMLButtonElement {
  const made = document.createElement("button");
  made.type = "button";
  made.textContent = lane;
  made.title = `${lane}: go to the next time it turns yes`;
  made.className =
    "num legend absolute left-1 z-10 max-w-[60%] cursor-pointer truncate px-1 text-small leading-3 text-soft hover:text-base-content";
  made.style.top = `${5 + index * LANE_HEIGHT}px`;
  made.addEventListener("pointerdown", (event) => event.stopPropagation());
  made.addEventListener("click", (event) => {
    event.stopPropagation();
    onPress();
  });
  return made;
}

/** Axis labels with as many digits as their distance needs. */
function axisTexts(splits: number[], digits: number | undefined): string[] {
  const step = splits.length > 1 ? Math.abs(splits[1]! - splits[0]!) : 1;
  const needed = digits ?? Math.max(0, Math.min(6, Math.ceil(-Math.log10(step || 1) + 0.01)));
  return splits.map((value) => axisText(value, needed));
}
