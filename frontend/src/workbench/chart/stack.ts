import uPlot from "uplot";
import type { ChartWindow, LevelsInForce, Run } from "@/api";
import { palette, plain, signed, timeText, type Palette } from "@/ui";
import { axisText, drawPane, priceDigits } from "./draw";
import { LANE_HEIGHT, panesOf, valueRange, type PaneInfo } from "./panes";
import { keepSight, readSight } from "./sight";
import { timeTicks, type Tick } from "./ticks";
import { centred, clamped, lastTrades, moved, serves, stepFor, zoomed, type View } from "./view";

const AXIS = 58;
const TIME_AXIS = 26;
const OVERVIEW = 36;

interface Pane {
  info: PaneInfo;
  plot: uPlot;
  legend: HTMLDivElement;
}

export interface StackHandlers {
  onAsk: (run: string, first: number, last: number, columns: number) => void;
  onBar: (run: string, bar: number | null) => void;
  /** Stops and targets as they moved; asked for where bars can be told apart. */
  onLevels: (run: string, first: number, last: number) => Promise<LevelsInForce[]>;
  /** A lane's name was pressed. */
  onLane: (lane: string) => void;
  /** The bars that are open at some moments; null when that could not be found. */
  onPlace: (run: string, times: number[]) => Promise<number[] | null>;
}

/** Panes over one time axis: price, panels, lanes, position, equity, and the overview above them. */
export class ChartStack {
  private run: Run | null = null;
  private symbol = "";
  private window: ChartWindow | null = null;
  private view: View = { a: 0, b: 1 };
  private panes: Pane[] = [];
  private overview: uPlot | null = null;
  private shape = "";
  private chosen: number | null = null;
  private cover: number | null = null;
  private lanes: string[] = [];
  private levels: LevelsInForce[] = [];
  private pinned: { time: number[]; equity: number[] } | null = null;
  private pinnedRows: (number | null)[] = [];
  private colors: Palette = palette();
  private asked = "";
  private held: number | null = null; // the bar that is held whatever the pointer does
  private heldMoment: number | null = null; // when it opened, known once its window is here
  private isPlacing = false; // what was in view is being found on other bars
  private told: string | null = null;
  private rootWidth = 0; // read when built: asking the page for it in every frame would lay it out anew
  private marks: Tick[] = [];
  private frame = 0;
  private keeping: ReturnType<typeof setTimeout> | undefined;
  private readonly observer: ResizeObserver;
  private readonly sync = uPlot.sync(`stack-${Math.random()}`);

  constructor(
    private readonly root: HTMLElement,
    private readonly handlers: StackHandlers,
  ) {
    this.observer = new ResizeObserver(() => this.build());
    this.observer.observe(root);
    this.listen();
  }

  setRun(run: Run, symbol: string): void {
    const before = this.run;
    const isSame =
      before !== null &&
      this.symbol === symbol &&
      before.bars === run.bars &&
      before.timeframe === run.timeframe &&
      before.overview.time[0] === run.overview.time[0];
    this.keepSight();
    this.run = run;
    this.symbol = symbol;
    this.asked = "";
    this.told = null;
    if (this.held !== null && (!isSame || this.held > run.last)) this.held = null;
    if (!isSame) {
      this.window = null;
      this.levels = [];
      this.shaped(true);
      void this.place(run);
      return;
    }
    this.shaped(false);
    this.ask();
  }

  /** Bring into view what was in view of this market before, whatever the bars; at first its last trades. */
  private async place(run: Run): Promise<void> {
    const sight = readSight(this.symbol);
    this.view = lastTrades(run);
    this.isPlacing = sight !== null;
    const bars =
      sight &&
      (await this.handlers.onPlace(run.key, [sight.from, sight.to, ...(sight.held === null ? [] : [sight.held])]));
    if (this.run !== run) return;
    this.isPlacing = false;
    const [from, to, held] = bars ?? [];
    if (from !== undefined && to !== undefined && to > from && to >= run.first && from <= run.last)
      this.view = clamped({ a: from - 0.5, b: to + 0.5 }, run.bars);
    this.redraw();
    this.ask();
    if (held !== undefined && held >= run.first && held <= run.last) this.hold(held, sight?.held ?? null);
  }

  /** Remember what is in view, as moments. */
  private keepSight(): void {
    const { window, run } = this;
    if (!run || !window || window.run !== run.key || this.isPlacing || this.cover !== null) return;
    if (this.held !== null && this.heldMoment === null) return; // kept as soon as its moment is told
    const last = window.x.length - 1;
    const momentAt = (bar: number) =>
      window.time[Math.max(0, Math.min(last, Math.round((bar - window.first) / window.step)))]!;
    keepSight(this.symbol, {
      from: momentAt(Math.ceil(this.view.a)),
      to: momentAt(Math.floor(this.view.b)),
      held: this.held === null ? null : this.heldMoment,
    });
  }

  /** When a bar opened: what is held is remembered by its moment. */
  knowBar(bar: number, moment: number): void {
    if (bar !== this.held) return;
    this.heldMoment = moment;
    this.keepSight();
  }

  /** The chart's data could not be read: it is asked for again with the next move. */
  noWindow(): void {
    this.asked = "";
  }

  /** Build the panes anew when there are others than before; else only what they show is new. */
  private shaped(isOther: boolean): void {
    const { run } = this;
    if (!run) return;
    const shape = JSON.stringify(panesOf(run, this.lanes));
    if (shape !== this.shape || isOther || this.panes.length === 0) {
      this.shape = shape;
      this.build();
    } else {
      this.overview?.setData(overviewData(run, this.cover));
    }
  }

  /** The lanes to show, from top to bottom. */
  setLanes(lanes: string[]): void {
    this.lanes = lanes;
    this.shaped(false);
    this.redraw();
  }

  /** Cover everything after a bar, or nothing. The view moves along so that the bar stays in it. */
  setCover(bar: number | null): void {
    const { run } = this;
    const wasCovered = this.cover !== null;
    this.cover = bar;
    if (!run) return;
    this.overview?.setData(overviewData(run, bar));
    if (bar !== null) {
      const width = this.view.b - this.view.a;
      if (!wasCovered || bar > this.view.a + width * 0.85 || bar < this.view.a)
        this.show(clamped({ a: bar - width * 0.75, b: bar + width * 0.25 }, run.bars));
      this.held = null;
      this.hold(bar);
    } else if (wasCovered) this.letGo();
    this.redraw();
  }

  /** The bar that a question about "here" means: the held one, the one under the pointer, or the last in view. */
  here(): number | null {
    const { run } = this;
    if (!run) return null;
    return this.held ?? this.under() ?? Math.max(run.first, Math.min(run.last, Math.round(this.view.b) - 1));
  }

  /** Where following begins: the held bar, or three quarters into the view. */
  start(): number {
    const bar = this.held ?? Math.round(this.view.a + (this.view.b - this.view.a) * 0.5);
    return Math.max(this.run?.first ?? 0, Math.min(this.run?.last ?? 0, bar));
  }

  holdBar(bar: number): void {
    this.hold(bar);
  }

  setWindow(window: ChartWindow): void {
    if (window.run !== this.run?.key) return;
    this.window = window;
    this.keepSight();
    this.matchPinned();
    this.redraw();
    this.askLevels();
  }

  /** Equity over time of the run to see this one against; its times need not be this run's. */
  setPinned(pinned: { time: number[]; equity: number[] } | null): void {
    this.pinned = pinned;
    this.matchPinned();
    this.redraw();
  }

  /** The pinned run's equity as it was known at each row of the window. */
  private matchPinned(): void {
    const { pinned, window } = this;
    this.pinnedRows = [];
    if (!pinned || !window) return;
    let at = -1;
    this.pinnedRows = window.time.map((moment) => {
      while (at + 1 < pinned.time.length && pinned.time[at + 1]! <= moment) at++;
      return at < 0 || moment > pinned.time.at(-1)! ? null : pinned.equity[at]!;
    });
  }

  private askLevels(): void {
    const { run, window } = this;
    if (!run?.has_moving_levels || !window || window.step > 1) {
      this.levels = [];
      return;
    }
    void this.handlers.onLevels(run.key, window.first, window.first + window.x.length - 1).then((levels) => {
      if (this.run?.key !== run.key) return;
      this.levels = levels;
      this.redraw();
    });
  }

  setChosen(row: number | null): void {
    this.chosen = row;
    this.redraw();
  }

  /** Bring a trade into view with some bars around it. */
  flyTo(row: number): void {
    if (!this.run) return;
    const { entry_bar, exit_bar } = this.run.trades;
    const entry = entry_bar[row];
    const exit = exit_bar[row];
    if (entry === undefined || exit === undefined) return;
    this.chosen = row;
    const width = Math.max((exit - entry) * 2.2, Math.min(this.view.b - this.view.a, Math.max(64, (exit - entry) * 5)));
    this.show(centred((entry + exit) / 2, width, this.run.bars));
  }

  /** Bring the bar that is open at a moment into view. */
  async goToTime(moment: number): Promise<void> {
    const { run } = this;
    const bars = run && (await this.handlers.onPlace(run.key, [moment]));
    if (run && bars && this.run === run)
      this.show(centred(bars[0]!, Math.min(this.view.b - this.view.a, 200), run.bars));
  }

  fit(): void {
    if (this.run) this.show(clamped({ a: this.run.first - 1, b: this.run.last + 1 }, this.run.bars));
  }

  zoom(factor: number): void {
    if (this.run) this.show(zoomed(this.view, (this.view.a + this.view.b) / 2, factor, this.run.bars));
  }

  pan(share: number): void {
    if (this.run) this.show(moved(this.view, (this.view.b - this.view.a) * share, this.run.bars));
  }

  repaint(): void {
    this.colors = palette();
    this.build();
  }

  destroy(): void {
    this.keepSight();
    clearTimeout(this.keeping);
    this.observer.disconnect();
    cancelAnimationFrame(this.frame);
    this.clear();
  }

  // --- view ----------------------------------------------------------------------------------------------------

  private show(view: View): void {
    this.view = view;
    this.redraw();
    this.ask();
    clearTimeout(this.keeping);
    this.keeping = setTimeout(() => this.keepSight(), 250);
  }

  private width(): number {
    return Math.max(50, this.rootWidth - AXIS);
  }

  /** Ask for the data of the view with as much again on either side, unless it is here or on its way. */
  private ask(): void {
    const run = this.run;
    if (!run || this.isPlacing) return;
    const pixels = this.width();
    const step = stepFor(this.view, pixels);
    const have = this.window && { first: this.window.first, step: this.window.step, count: this.window.x.length };
    if (this.window?.run === run.key && serves(have, this.view, step, run.bars)) return;
    const span = this.view.b - this.view.a;
    const first = Math.max(0, Math.floor(this.view.a - span));
    const last = Math.min(run.bars - 1, Math.ceil(this.view.b + span));
    const columns = Math.ceil((last - first + 1) / step);
    const question = `${run.key} ${Math.round(first / Math.max(1, span * 0.2))} ${step}`;
    if (question === this.asked) return;
    this.asked = question;
    this.handlers.onAsk(run.key, first, last, columns);
  }

  // --- building ------------------------------------------------------------------------------------------------

  private clear(): void {
    for (const pane of this.panes) {
      this.sync.unsub(pane.plot);
      pane.plot.destroy();
    }
    this.overview?.destroy();
    this.overview = null;
    this.panes = [];
    this.root.replaceChildren();
  }

  private build(): void {
    const run = this.run;
    if (!run || this.root.clientWidth < 80 || this.root.clientHeight < 80) return;
    this.clear();
    this.rootWidth = this.root.clientWidth;
    const infos = panesOf(run, this.lanes);
    const fixed = infos.reduce((sum, info) => sum + (info.grows ? 0 : info.height), 0);
    const hairlines = infos.length + 1;
    const rest = this.root.clientHeight - OVERVIEW - TIME_AXIS - fixed - hairlines;
    this.overview = this.makeOverview(run);
    infos.forEach((info, index) => {
      const isLast = index === infos.length - 1;
      const height = (info.grows ? Math.max(120, rest) : info.height) + (isLast ? TIME_AXIS : 0);
      this.panes.push(this.makePane(info, height, isLast));
    });
    this.redraw();
    this.ask();
  }

  private makePane(info: PaneInfo, height: number, isLast: boolean): Pane {
    const holder = document.createElement("div");
    holder.className = "relative border-b border-line";
    this.root.append(holder);
    const legend = document.createElement("div");
    legend.className =
      "num legend pointer-events-none absolute left-2 top-1 z-10 flex flex-wrap gap-x-3 px-1 text-[11px] leading-4";
    legend.style.maxWidth = `calc(100% - ${AXIS + 16}px)`;
    holder.append(legend);
    if (info.kind === "lanes")
      holder.append(...this.lanes.map((lane, index) => laneName(lane, index, () => this.handlers.onLane(lane))));
    const font = '11px "IBM Plex Mono", monospace';
    const hidden = info.kind === "lanes";
    const digits = info.kind === "price" ? priceDigits(this.run!.tick) : info.kind === "panel" ? undefined : 0;
    const plot = new uPlot(
      {
        width: this.root.clientWidth,
        height,
        padding: [0, 0, 0, 0],
        legend: { show: false },
        cursor: {
          y: false,
          points: { show: false },
          drag: { x: false, y: false, setScale: false },
          sync: { key: this.sync.key, setSeries: false },
        },
        scales: { x: { time: false, auto: false }, y: { auto: false } },
        axes: [
          {
            show: isLast,
            size: TIME_AXIS,
            stroke: this.colors.soft,
            font,
            grid: { show: false },
            ticks: { stroke: this.colors.line, width: 1, size: 4 },
            splits: () => this.marks.map((tick) => tick.bar),
            values: () => this.marks.map((tick) => tick.label),
          },
          {
            side: 1,
            size: AXIS,
            stroke: this.colors.soft,
            font,
            space: info.kind === "price" ? 44 : 24,
            grid: { show: !hidden, stroke: this.colors.line, width: 1 },
            ticks: { show: false },
            // Until the bars are here there is nothing to measure, and nothing is made up.
            values: (_plot, splits) =>
              hidden || info.kind === "position" || !this.window ? splits.map(() => "") : axisTexts(splits, digits),
          },
        ],
        series: [{}, { show: true, paths: () => null, points: { show: false } }],
        hooks: {
          draw: [(drawn) => this.draw(drawn, info)],
          setCursor: [() => this.read()],
        },
      },
      [[0], [0]],
      holder,
    );
    this.sync.sub(plot);
    return { info, plot, legend };
  }

  private makeOverview(run: Run): uPlot {
    const holder = document.createElement("div");
    holder.className = "relative border-b border-line";
    holder.title = "The whole run: press or drag to go there";
    this.root.append(holder);
    const plot = new uPlot(
      {
        width: this.root.clientWidth,
        height: OVERVIEW,
        padding: [3, AXIS, 3, 0],
        legend: { show: false },
        cursor: { show: false },
        scales: { x: { time: false }, close: {}, equity: {} },
        axes: [{ show: false }, { show: false, scale: "close" }, { show: false, scale: "equity" }],
        series: [
          {},
          { scale: "close", stroke: this.colors.soft, width: 1, points: { show: false }, alpha: 0.7 },
          { scale: "equity", stroke: this.colors.long, width: 1.5, points: { show: false }, show: run.is_strategy },
        ],
        hooks: { draw: [(drawn) => this.drawFrame(drawn)] },
      },
      overviewData(run, this.cover),
      holder,
    );
    const go = (event: PointerEvent) => {
      if (event.buttons !== 1 || !this.run) return;
      const box = plot.over.getBoundingClientRect();
      const bar = plot.posToVal(event.clientX - box.left, "x");
      this.show(centred(bar, this.view.b - this.view.a, this.run.bars));
    };
    holder.addEventListener("pointerdown", go);
    holder.addEventListener("pointermove", go);
    return plot;
  }

  // --- drawing -------------------------------------------------------------------------------------------------

  private redraw(): void {
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.marks = this.ticks();
      for (const { info, plot } of this.panes) {
        const [min, max] = this.rangeOf(info);
        plot.batch(() => {
          plot.setScale("x", { min: this.view.a, max: this.view.b });
          plot.setScale("y", { min, max });
          plot.redraw(false, true);
        });
      }
      this.overview?.redraw(false, false);
      this.read();
    });
  }

  private rangeOf(info: PaneInfo): [number, number] {
    if (!this.run || !this.window) return [0, 1];
    const { a, b } = this.view;
    return valueRange(info, this.run, this.window, {
      a,
      b: this.cover === null ? b : Math.max(a + 1, Math.min(b, this.cover)),
    });
  }

  private ticks(): Tick[] {
    const window = this.window;
    return window && this.run
      ? timeTicks(window.x, window.time, this.run.zone, this.view.a, this.view.b, this.width())
      : [];
  }

  private draw(plot: uPlot, info: PaneInfo): void {
    if (!this.run || !this.window) return;
    const { left, top, width, height } = plot.bbox;
    drawPane(info, {
      ctx: plot.ctx,
      left,
      top,
      width,
      height,
      ratio: uPlot.pxRatio,
      view: this.view,
      range: this.rangeOf(info),
      colors: this.colors,
      run: this.run,
      window: this.window,
      chosen: this.chosen,
      held: this.held,
      cover: this.cover,
      lanes: this.lanes,
      levels: this.levels,
      pinned: this.pinnedRows,
    });
  }

  private drawFrame(plot: uPlot): void {
    const { ctx, bbox } = plot;
    const left = Math.max(bbox.left, plot.valToPos(this.view.a, "x", true));
    const right = Math.min(bbox.left + bbox.width, plot.valToPos(this.view.b, "x", true));
    ctx.save();
    ctx.fillStyle = this.colors.shallow;
    ctx.globalAlpha = 0.5;
    ctx.fillRect(left, 0, Math.max(3, right - left), plot.ctx.canvas.height);
    ctx.globalAlpha = 1;
    ctx.strokeStyle = this.colors.ink;
    ctx.lineWidth = uPlot.pxRatio;
    ctx.strokeRect(left + 0.5, 0.5, Math.max(3, right - left), plot.ctx.canvas.height - 1);
    ctx.restore();
  }

  /** Readings at the plumb line, or at the last bar in view. */
  private read(): void {
    const { run, window } = this;
    if (run && !window)
      this.panes[0]?.legend.replaceChildren(
        reading(this.symbol, "font-semibold"),
        reading("drawing the bars…", "text-soft"),
      );
    if (!run || !window || window.run !== run.key) return;
    const position = this.panes[0]?.plot.cursor.left ?? -1;
    const span = this.view.b - this.view.a;
    this.tell(this.under());
    const bar =
      this.held !== null
        ? this.held
        : position >= 0
          ? this.view.a + (position / this.width()) * span
          : Math.min(this.view.b, run.last);
    const known = this.cover === null ? bar : Math.min(bar, this.cover);
    const row = Math.max(
      0,
      Math.min(window.x.length - 1, Math.round((known - window.first - (window.step - 1) / 2) / window.step)),
    );
    const digits = priceDigits(run.tick);
    for (const pane of this.panes) {
      const pieces: [string, string][] = [];
      if (pane.info.kind === "price") {
        pieces.push([this.symbol, "font-semibold"]);
        pieces.push([timeText(window.time[row]!, run.zone, "full"), "text-soft"]);
        const names = ["open", "high", "low", "close"] as const;
        pieces.push([names.map((name) => `${name} ${plain(window[name][row]!, digits)}`).join("  "), ""]);
        if (window.step > 1) pieces.push([`${window.step} bars a column`, "text-soft"]);
      }
      if (pane.info.kind === "panel") pieces.push([pane.info.name, "font-semibold"]);
      if (pane.info.kind === "position")
        pieces.push([pane.info.name, "text-soft"], [signed(window.floating[row] ?? 0, 0), ""]);
      if (pane.info.kind === "water")
        pieces.push([`under water ${plain(-(window.drawdown[row] ?? 0), 0)}`, "text-loss"]);
      if (pane.info.kind === "equity") {
        pieces.push([`equity ${plain(window.equity.value[row] ?? 0, 0)}`, "font-semibold"]);
        pieces.push([`holding ${plain(window.holding[row] ?? 0, 0)}`, "text-soft"]);
        const pinned = this.pinnedRows[row];
        if (pinned !== null && pinned !== undefined) pieces.push([`pinned ${plain(pinned, 0)}`, "text-brass"]);
      }
      const children = pieces.map(([text, style]) => reading(text, style));
      if (pane.info.kind === "price" || pane.info.kind === "panel") {
        for (const line of run.scene.lines) {
          if (line.panel !== (pane.info.kind === "price" ? null : pane.info.name)) continue;
          const value = window.lines[line.key]?.value[row];
          const item = reading(
            `${line.name} ${value == null ? "unknown" : plain(value, pane.info.kind === "price" ? digits : 2)}`,
            "",
          );
          item.style.color = `var(--${line.colors[0]})`;
          children.push(item);
        }
      }
      pane.legend.replaceChildren(...children);
    }
  }

  // --- the bar that is read ------------------------------------------------------------------------------------

  /** The bar under the pointer. */
  private under(): number | null {
    const position = this.panes[0]?.plot.cursor.left ?? -1;
    return position < 0 ? null : Math.round(this.view.a + (position / this.width()) * (this.view.b - this.view.a));
  }

  /** Tell which bar is read: the held one, else the one under the pointer. */
  private tell(under: number | null): void {
    const { run } = this;
    if (!run) return;
    const wanted = this.held ?? under;
    const bar = wanted !== null && this.cover !== null ? Math.min(wanted, this.cover) : wanted;
    if (bar === null) return; // the pointer has left: the last bar goes on being read
    const inside = bar >= run.first && bar <= run.last ? bar : null;
    const told = `${run.key} ${inside}`;
    if (told === this.told) return;
    this.told = told;
    this.handlers.onBar(run.key, inside);
  }

  /** Hold a bar. Its moment, where it is not given, comes with what is told of the bar. */
  private hold(bar: number, moment: number | null = null): void {
    const { run } = this;
    if (!run) return;
    this.held = Math.max(run.first, Math.min(this.cover ?? run.last, bar));
    this.heldMoment = moment;
    this.told = null;
    if (this.held < this.view.a || this.held > this.view.b)
      this.show(centred(this.held, this.view.b - this.view.a, run.bars));
    this.tell(null);
    this.redraw();
    clearTimeout(this.keeping);
    this.keeping = setTimeout(() => this.keepSight(), 250);
  }

  /** Hold the bar under the pointer, or the last one in view; let go of a held one. */
  holdOrLetGo(): void {
    if (this.held !== null) return this.letGo();
    this.hold(this.under() ?? Math.round(this.view.b));
  }

  holdNext(by: number): void {
    if (this.held === null) this.holdOrLetGo();
    else this.hold(this.held + by);
  }

  /** Let the held bar go; without one, read none. */
  letGo(): void {
    if (this.held === null && this.run) {
      this.told = `${this.run.key} ${this.under()}`; // until the pointer comes to another bar
      this.handlers.onBar(this.run.key, null);
    }
    this.held = null;
    this.redraw();
    this.keepSight();
  }

  // --- hands ---------------------------------------------------------------------------------------------------

  private barAt(clientX: number): number {
    const box = this.root.getBoundingClientRect();
    return this.view.a + ((clientX - box.left) / this.width()) * (this.view.b - this.view.a);
  }

  private listen(): void {
    this.root.addEventListener(
      "wheel",
      (event) => {
        if (!this.run) return;
        event.preventDefault();
        const sideways = event.shiftKey ? event.deltaY : event.deltaX;
        if (Math.abs(sideways) > Math.abs(event.shiftKey ? 0 : event.deltaY)) {
          this.show(moved(this.view, (sideways / this.width()) * (this.view.b - this.view.a), this.run.bars));
        } else {
          this.show(
            zoomed(
              this.view,
              this.barAt(event.clientX),
              Math.exp(Math.max(-120, Math.min(120, event.deltaY)) * 0.0022),
              this.run.bars,
            ),
          );
        }
      },
      { passive: false },
    );
    let from: { x: number; view: View } | null = null;
    this.root.addEventListener("pointerdown", (event) => {
      const box = this.root.getBoundingClientRect();
      if (event.button !== 0 || event.clientY - box.top < OVERVIEW) return;
      from = { x: event.clientX, view: this.view };
      this.root.setPointerCapture(event.pointerId);
    });
    this.root.addEventListener("pointermove", (event) => {
      if (!from || !this.run) return;
      const by = ((from.x - event.clientX) / this.width()) * (from.view.b - from.view.a);
      this.show(moved(from.view, by, this.run.bars));
    });
    const end = () => (from = null);
    this.root.addEventListener("pointerup", (event) => {
      if (from && Math.abs(event.clientX - from.x) < 3) {
        const bar = Math.round(this.barAt(event.clientX));
        if (this.held === bar) this.letGo();
        else this.hold(bar);
      }
      end();
    });
    this.root.addEventListener("pointercancel", end);
    this.root.addEventListener("dblclick", () => this.fit());
  }
}

function reading(text: string, style: string): HTMLSpanElement {
  const made = document.createElement("span");
  made.textContent = text;
  made.className = style;
  return made;
}

function overviewData(run: Run, cover: number | null): uPlot.AlignedData {
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
    "num legend absolute left-1 z-10 max-w-[60%] cursor-pointer truncate px-1 text-[11px] leading-3 text-soft hover:text-base-content";
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
