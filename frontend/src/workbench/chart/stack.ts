import uPlot from "uplot";
import type { ChartWindow, LevelsInForce, Run } from "@/api";
import { palette, type Palette } from "@/ui";
import { buildOverview, buildPane, overviewData, type Pane } from "./build";
import { drawPane } from "./draw";
import { listenToHands } from "./hands";
import { drawingLegend, legendOf, rowAt } from "./legend";
import { AXIS, OVERVIEW, panesOf, TIME_AXIS, valueRange, type PaneInfo } from "./panes";
import { BarReader } from "./reader";
import { keepSight, readSight } from "./sight";
import { timeTicks, type Tick } from "./ticks";
import { centred, clamped, lastTrades, moved, serves, stepFor, zoomed, type View } from "./view";

const KEEP_SIGHT_MS = 250;

/** What a chart asks for, and tells. */
export interface ChartHandlers {
  onAsk: (run: string, first: number, last: number, columns: number) => void;
  onBar: (run: string, bar: number | null) => void;
  /** Stops and targets as they moved; asked for where bars can be told apart. */
  onLevels: (run: string, first: number, last: number) => Promise<LevelsInForce[]>;
  /** A lane's name was pressed. */
  onLane: (lane: string) => void;
  /** The bars that are open at some moments; null when that could not be found. */
  onPlace: (run: string, times: number[]) => Promise<number[] | null>;
}

/**
 * The chart, from wherever it is spoken to: panes over one time axis (price, panels, lanes, position, equity), and the
 * overview above them. It is drawn while it is attached to a place of the page; what it shows outlives that.
 */
export class ChartStack {
  private handlers: ChartHandlers | null = null;
  private root: HTMLElement | null = null;
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
  private isPlacing = false; // what was in view is being found on other bars
  private rootWidth = 0; // read when built: asking the page for it in every frame would lay it out anew
  private marks: Tick[] = [];
  private frame = 0;
  private keeping: ReturnType<typeof setTimeout> | undefined;
  private readonly reader = new BarReader((run, bar) => this.handlers?.onBar(run, bar));
  private readonly sync = uPlot.sync(`stack-${Math.random()}`);

  /** Say who is asked and told. */
  listen(handlers: ChartHandlers): void {
    this.handlers = handlers;
  }

  /** Be drawn in a place of the page from now on; what is returned takes it away. */
  attach(root: HTMLElement): () => void {
    const leaving = new AbortController();
    this.root = root;
    const observer = new ResizeObserver(() => this.build());
    observer.observe(root);
    listenToHands(
      root,
      {
        view: () => this.view,
        bars: () => this.run?.bars ?? 0,
        width: () => this.width(),
        show: (view) => this.show(view),
        press: (bar) => (this.reader.held === bar ? this.letGo() : this.hold(bar)),
        fit: () => this.fit(),
      },
      leaving.signal,
    );
    return () => {
      this.keepSight();
      clearTimeout(this.keeping);
      observer.disconnect();
      leaving.abort();
      cancelAnimationFrame(this.frame);
      this.frame = 0;
      this.clear();
      this.root = null;
      this.run = null;
      this.window = null;
    };
  }

  focus(): void {
    this.root?.focus();
  }

  // --- what it shows -------------------------------------------------------------------------------------------

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
    this.reader.moveTo(run, isSame);
    if (!isSame) {
      this.window = null;
      this.levels = [];
      void this.place(run);
      this.shaped(true);
      return;
    }
    this.shaped(false);
    this.ask();
  }

  setWindow(window: ChartWindow): void {
    if (window.run !== this.run?.key) return;
    this.window = window;
    this.keepSight();
    this.matchPinned();
    this.redraw();
    this.askLevels();
  }

  /** The chart's data could not be read: it is asked for again with the next move. */
  noWindow(): void {
    this.asked = "";
  }

  /** Whether a bar is held whatever the pointer does. */
  get isHolding(): boolean {
    return this.reader.held !== null;
  }

  /** When a bar opened: what is held is remembered by its moment. */
  knowBar(bar: number, moment: number): void {
    if (bar !== this.reader.held) return;
    this.reader.moment = moment;
    this.keepSight();
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
      this.hold(bar);
    } else if (wasCovered) this.letGo();
    this.redraw();
  }

  /** Equity over time of the run to see this one against; its times need not be this run's. */
  setPinned(pinned: { time: number[]; equity: number[] } | null): void {
    this.pinned = pinned;
    this.matchPinned();
    this.redraw();
  }

  setChosen(row: number | null): void {
    this.chosen = row;
    this.redraw();
  }

  repaint(): void {
    this.colors = palette();
    this.build();
  }

  // --- moving about --------------------------------------------------------------------------------------------

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

  /** Bring the bar that is open at a moment (seconds since 1970) into view. */
  async goToTime(moment: number): Promise<void> {
    const { run, handlers } = this;
    const bars = run && handlers && (await handlers.onPlace(run.key, [moment]));
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

  private show(view: View): void {
    this.view = view;
    this.redraw();
    this.ask();
    this.keepSightSoon();
  }

  // --- the bar that is read ------------------------------------------------------------------------------------

  /** The bar that a question about "here" means: the held one, the one under the pointer, or the last in view. */
  here(): number | null {
    const { run } = this;
    if (!run) return null;
    return this.reader.held ?? this.under() ?? Math.max(run.first, Math.min(run.last, Math.round(this.view.b) - 1));
  }

  /** Where following begins: the held bar, or the middle of the view. */
  start(): number {
    const bar = this.reader.held ?? Math.round((this.view.a + this.view.b) / 2);
    return Math.max(this.run?.first ?? 0, Math.min(this.run?.last ?? 0, bar));
  }

  /** Hold a bar, and bring it into view; `moment` is when it opened, where that is known. */
  hold(bar: number, moment: number | null = null): void {
    const { run } = this;
    if (!run) return;
    const held = this.reader.hold(run, bar, this.cover, moment);
    if (held < this.view.a || held > this.view.b) this.show(centred(held, this.view.b - this.view.a, run.bars));
    this.reader.tell(run, null, this.cover);
    this.redraw();
    this.keepSightSoon();
  }

  /** Hold the bar under the pointer, or the last one in view; let go of a held one. */
  holdOrLetGo(): void {
    if (this.reader.held !== null) return this.letGo();
    this.hold(this.under() ?? Math.round(this.view.b));
  }

  holdNext(by: number): void {
    if (this.reader.held === null) this.holdOrLetGo();
    else this.hold(this.reader.held + by);
  }

  /** Let the held bar go; without one, read none. */
  letGo(): void {
    this.reader.letGo(this.run, this.under());
    this.redraw();
    this.keepSight();
  }

  /** The bar under the pointer. */
  private under(): number | null {
    const position = this.panes[0]?.plot.cursor.left ?? -1;
    return position < 0 ? null : Math.round(this.view.a + (position / this.width()) * (this.view.b - this.view.a));
  }

  // --- what was in view before -----------------------------------------------------------------------------------

  /** Bring into view what was in view of this market before, whatever the bars; at first its last trades. */
  private async place(run: Run): Promise<void> {
    const sight = readSight(this.symbol);
    this.view = lastTrades(run);
    this.isPlacing = sight !== null;
    const times = sight && [sight.from, sight.to, ...(sight.held === null ? [] : [sight.held])];
    const bars = times && this.handlers && (await this.handlers.onPlace(run.key, times));
    if (this.run !== run) return;
    this.isPlacing = false;
    const [from, to, held] = bars ?? [];
    const around = sight?.around ?? 0;
    if (from !== undefined && to !== undefined && to + around > from && to >= run.first && from <= run.last)
      this.view = clamped({ a: from - 0.5 - around, b: to + 0.5 + around }, run.bars);
    this.redraw();
    this.ask();
    if (held !== undefined && held >= run.first && held <= run.last) this.hold(held, sight?.held ?? null);
  }

  /** Remember what is in view, as moments. */
  private keepSight(): void {
    const { window, run, reader } = this;
    if (!run || !window || window.run !== run.key || this.isPlacing || this.cover !== null) return;
    if (reader.held !== null && reader.moment === null) return; // kept as soon as its moment is told
    const last = window.x.length - 1;
    const momentAt = (bar: number) =>
      window.time[Math.max(0, Math.min(last, Math.round((bar - window.first) / window.step)))]!;
    keepSight(this.symbol, {
      from: momentAt(Math.ceil(this.view.a)),
      to: momentAt(Math.floor(this.view.b)),
      held: reader.held === null ? null : reader.moment,
    });
  }

  private keepSightSoon(): void {
    clearTimeout(this.keeping);
    this.keeping = setTimeout(() => this.keepSight(), KEEP_SIGHT_MS);
  }

  // --- asking --------------------------------------------------------------------------------------------------

  private width(): number {
    return Math.max(50, this.rootWidth - AXIS);
  }

  /** Ask for the data of the view with as much again on either side, unless it is here or on its way. */
  private ask(): void {
    const { run, root } = this;
    if (!run || !root || this.isPlacing) return;
    const step = stepFor(this.view, this.width());
    const have = this.window && { first: this.window.first, step: this.window.step, count: this.window.x.length };
    if (this.window?.run === run.key && serves(have, this.view, step, run.bars)) return;
    const span = this.view.b - this.view.a;
    const first = Math.max(0, Math.floor(this.view.a - span));
    const last = Math.min(run.bars - 1, Math.ceil(this.view.b + span));
    const columns = Math.ceil((last - first + 1) / step);
    const [from, to] = [first, last].map((bar) => Math.round(bar / Math.max(1, span * 0.2)));
    const question = `${run.key} ${from} ${to} ${step}`;
    if (question === this.asked) return;
    this.asked = question;
    this.handlers?.onAsk(run.key, first, last, columns);
  }

  private askLevels(): void {
    const { run, window, handlers } = this;
    if (!run?.has_moving_levels || !window || window.step > 1) {
      this.levels = [];
      return;
    }
    void handlers?.onLevels(run.key, window.first, window.first + window.x.length - 1).then((levels) => {
      if (this.run?.key !== run.key) return;
      this.levels = levels;
      this.redraw();
    });
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

  // --- building ------------------------------------------------------------------------------------------------

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

  private clear(): void {
    for (const pane of this.panes) {
      this.sync.unsub(pane.plot);
      pane.plot.destroy();
    }
    this.overview?.destroy();
    this.overview = null;
    this.panes = [];
    this.root?.replaceChildren();
  }

  private build(): void {
    const { run, root } = this;
    if (!run || !root || root.clientWidth < 80 || root.clientHeight < 80) return;
    this.clear();
    this.rootWidth = root.clientWidth;
    const infos = panesOf(run, this.lanes);
    const fixed = infos.reduce((sum, info) => sum + (info.grows ? 0 : info.height), 0);
    const hairlines = infos.length + 1;
    const rest = root.clientHeight - OVERVIEW - TIME_AXIS - fixed - hairlines;
    const onGo = (bar: number) => this.show(centred(bar, this.view.b - this.view.a, this.run?.bars ?? 1));
    this.overview = buildOverview(root, run, this.cover, this.colors, (plot) => this.drawFrame(plot), onGo);
    infos.forEach((info, index) => {
      const isLast = index === infos.length - 1;
      const pane = buildPane(root, {
        info,
        height: (info.grows ? Math.max(120, rest) : info.height) + (isLast ? TIME_AXIS : 0),
        isLast,
        run,
        lanes: this.lanes,
        colors: this.colors,
        syncKey: this.sync.key,
        marks: () => this.marks,
        isKnown: () => this.window !== null,
        onDraw: (plot) => this.draw(plot, info),
        onCursor: () => this.read(),
        onLane: (lane) => this.handlers?.onLane(lane),
      });
      this.sync.sub(pane.plot);
      this.panes.push(pane);
    });
    this.redraw();
    this.ask();
  }

  // --- drawing -------------------------------------------------------------------------------------------------

  private redraw(): void {
    if (this.frame || !this.root) return;
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
    const shown = this.cover === null ? b : Math.max(a + 1, Math.min(b, this.cover));
    return valueRange(info, this.run, this.window, { a, b: shown });
  }

  private ticks(): Tick[] {
    const { window, run, view } = this;
    return window && run ? timeTicks(window.x, window.time, run.zone, view.a, view.b, this.width()) : [];
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
      held: this.reader.held,
      cover: this.cover,
      lanes: this.lanes,
      levels: this.levels,
      pinned: this.pinnedRows,
    });
  }

  /** What of the whole run is in view. */
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
    const { run, window, view } = this;
    if (!run) return;
    if (!window) return this.panes[0]?.legend.replaceChildren(...drawingLegend(this.symbol));
    if (window.run !== run.key) return;
    this.reader.tell(run, this.under(), this.cover);
    const position = this.panes[0]?.plot.cursor.left ?? -1;
    const pointed = position < 0 ? Math.min(view.b, run.last) : view.a + (position / this.width()) * (view.b - view.a);
    const bar = this.reader.held ?? pointed;
    const row = rowAt(window, this.cover === null ? bar : Math.min(bar, this.cover));
    for (const { info, legend } of this.panes)
      legend.replaceChildren(...legendOf(info, this.symbol, run, window, row, this.pinnedRows[row]));
  }
}
