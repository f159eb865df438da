import type { Setup } from "./client";

export type Figures = Record<string, number | null>;

export interface InputInfo {
  name: string;
  kind: "number" | "switch" | "choice" | "time" | "timeframe" | "market";
  default: number | boolean | string;
  low: number | null;
  high: number | null;
  step: number | null;
  options: string[];
  label: string;
}

export interface Finding {
  code: string;
  severity: "grave" | "warning" | "note";
  message: string;
  time: string | null;
}

export interface TradeColumns {
  first_number: number;
  side: number[];
  entry_bar: number[];
  exit_bar: number[];
  entry_time: number[];
  exit_time: number[];
  entry_price: number[];
  exit_price: number[];
  /** Prices between the sides of the spread: what gross profit is counted from. */
  entry_mid: number[];
  exit_mid: number[];
  units: number[];
  gross: number[];
  commission: number[];
  spread: number[];
  slippage: number[];
  financing: number[];
  net: number[];
  /** Net in percent of what the entry was worth. */
  percent: (number | null)[];
  /** The most a trade was ahead, and behind, in money. */
  best: number[];
  worst: number[];
  r: (number | null)[];
  stop: (number | null)[];
  target: (number | null)[];
  bars_held: number[];
  rule: number[];
  rules: string[];
  reason: number[];
  reasons: string[];
}

export interface SceneLine {
  key: string;
  name: string;
  panel: string | null;
  form: "line" | "stairs" | "points" | "pillars" | "wash";
  colors: [string, string];
}

export interface Run {
  key: string;
  bars: number;
  first: number;
  last: number;
  timeframe: string;
  tick: number;
  zone: string;
  data_version: number;
  is_strategy: boolean;
  /** Whether stops move while a position lives. */
  has_moving_levels: boolean;
  figures: { all: Figures; long: Figures; short: Figures };
  findings: Finding[];
  scene: {
    lines: SceneLine[];
    levels: { panel: string | null; value: number }[];
    shades: { key: string; color: string | null }[];
    lanes: { name: string; kind: "condition" | "rule" | "part" | "alert" }[];
    tints: string[];
  };
  overview: { x: number[]; time: number[]; close: number[]; equity: number[] };
  trades: TradeColumns;
}

export interface RunAnswer {
  id: number;
  answer: "run";
  sound: boolean;
  title: string;
  inputs: InputInfo[];
  run: Run | null;
  problem: string | null;
  took_ms: number;
}

type Values = (number | null)[];

export interface Extremes {
  value: Values;
  low?: Values;
  high?: Values;
  tone?: boolean[];
}

export interface ChartWindow {
  id: number;
  answer: "window";
  run: string;
  first: number;
  step: number;
  x: number[];
  time: number[];
  close_time: number[];
  open: number[];
  high: number[];
  low: number[];
  close: number[];
  lines: Record<string, Extremes>;
  shades: Record<string, { a: Values; b: Values }>;
  lanes: Record<string, number[]>;
  progress: Record<string, number[]>;
  tints: number[][];
  blocked: number[];
  marks: { bar: number; place: "above" | "below"; form: string; color: string; label: string }[];
  equity: Extremes;
  drawdown: Values;
  holding: Values;
  position: Values;
  floating: Values;
}

export type Tone = "yes" | "no" | "unknown" | "number";

/** One bar of a run explained, and the script as it reads on it. Places are offsets in the script's text. */
export interface BarExplained {
  id: number;
  answer: "explain";
  run: string;
  bar: number;
  time: string;
  close_time: string;
  position: "long" | "short" | null;
  lots: { rule: string; units: number; price: number; stop: number | null; target: number | null }[];
  happened: string[];
  waiting: string[];
  why: string[];
  lines: { end: number; text: string; tone: Tone }[];
  marks: { start: number; end: number; tone: Tone }[];
  signals: Partial<Record<"long" | "short", string>>;
}

/** A bar opened into its finer bars, with the fills inside it. */
export interface LensView {
  run: string;
  bar: number;
  time: number;
  close_time: number;
  open: number;
  high: number;
  low: number;
  close: number;
  /** `timeframe` is null when the bar is as fine as what is stored. */
  finer: {
    timeframe: string | null;
    time: number[];
    open?: number[];
    high?: number[];
    low?: number[];
    close?: number[];
  };
  fills: {
    way: "in" | "out";
    side: "long" | "short";
    price: number;
    moment: "open" | "inside" | "close";
    by: string;
  }[];
}

/** Stop and target of an open lot as they were in force on one bar. */
export interface LevelsInForce {
  bar: number;
  side: "long" | "short";
  stop: number | null;
  target: number | null;
}

/** How many bars each part of the entry rules let through, and where the signals of each side went. */
export interface FunnelView {
  run: string;
  rules: { rule: string; side: "long" | "short"; bars: number; passed: { text: string; left: number }[] }[];
  sides: { side: "long" | "short"; signals: number; traded: number; reasons: { reason: string; count: number }[] }[];
}

/** How a question ended: with its answer, with a reason why there is none, or overtaken by a newer one of its kind. */
export type Told<T> = { kind: "answer"; answer: T } | { kind: "failed"; reason: string } | { kind: "superseded" };

/** Questions with one answer each; of each kind a newer one takes the place of an older. */
interface Once {
  try: { ask: { setup: Setup; input: string; value: number | boolean | string }; answer: { figures: Figures | null } };
  next: { ask: { run: string; lane: string; bar: number; way: 1 | -1 }; answer: { bar: number | null } };
  until: { ask: { run: string; bar: number }; answer: { run: string; bar: number; closed: number; figures: Figures } };
  lens: { ask: { run: string; bar: number }; answer: LensView };
  funnel: { ask: { run: string }; answer: FunnelView };
  levels: { ask: { run: string; first: number; last: number }; answer: { run: string; levels: LevelsInForce[] } };
  bars_at: { ask: { run: string; times: number[]; closed?: boolean }; answer: { run: string; bars: number[] } };
  chart: { ask: { run: string; timeframe: string }; answer: { chart: Run } };
}
type OnceKind = keyof Once;
export type AskOnce = <K extends OnceKind>(kind: K, body: Once[K]["ask"]) => Promise<Told<Once[K]["answer"]>>;

type Lasting = RunAnswer | ChartWindow | BarExplained;
type LastingKind = Lasting["answer"];
const LASTING: readonly string[] = ["run", "window", "explain"] satisfies LastingKind[];

/** What a socket can bring besides answers. */
interface Message {
  id: number;
  answer: string;
  error?: string;
  superseded?: boolean;
  stopped?: boolean;
  done?: number;
  what?: string;
}

export interface LiveHandlers {
  onAnswer: (answer: Lasting) => void;
  /** A lasting question that gets no answer, and why. */
  onFailure: (kind: LastingKind, reason: string) => void;
  /** How much of the run that was asked for is done, 0 to 1. */
  onProgress: (done: number) => void;
  /** The run that was asked for was stopped by hand. */
  onStopped: () => void;
  onConnected: (connected: boolean) => void;
  /** Something was saved or taken away, here or elsewhere. */
  onChanged: (what: string) => void;
}

const NO_CONNECTION = "The connection to the program is lost; trying again.";
const RETRY_MS = 700;

/** The live loop: of each kind only the newest question counts, and runs are asked again after a lost connection. */
export class LiveClient {
  private socket: WebSocket | null = null;
  private last: Partial<Record<LastingKind, string>> = {};
  private newest: Partial<Record<LastingKind, number>> = {};
  private waiting = new Map<OnceKind, { id: number; take: (told: Told<never>) => void }>();
  private counter = 0;
  private closed = false;

  constructor(private readonly handlers: LiveHandlers) {
    this.connect();
  }

  run(setup: Setup): void {
    this.send("run", { setup });
  }

  /** End the run that is being computed. */
  stop(): void {
    if (this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ id: ++this.counter, ask: "stop" }));
  }

  window(run: string, first: number, last: number, columns: number): void {
    this.send("window", { run, first, last, columns });
  }

  explain(run: string, bar: number): void {
    this.send("explain", { run, bar });
  }

  /** No bar is read any more: an answer that is still on its way comes too late. */
  explainNone(): void {
    this.newest.explain = ++this.counter;
  }

  ask: AskOnce = (kind, body) =>
    new Promise((resolve) => {
      this.waiting.get(kind)?.take({ kind: "superseded" });
      this.waiting.delete(kind);
      const id = ++this.counter;
      if (this.socket?.readyState !== WebSocket.OPEN) return resolve({ kind: "failed", reason: NO_CONNECTION });
      this.waiting.set(kind, { id, take: resolve });
      this.socket.send(JSON.stringify({ id, ask: kind, ...body }));
    });

  close(): void {
    this.closed = true;
    this.socket?.close();
    this.endWaiting({ kind: "superseded" });
  }

  private endWaiting(told: Told<never>): void {
    for (const once of this.waiting.values()) once.take(told);
    this.waiting.clear();
  }

  private send(ask: LastingKind, body: object): void {
    const id = ++this.counter;
    this.newest[ask] = id;
    const text = JSON.stringify({ id, ask, ...body });
    this.last[ask] = text;
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(text);
  }

  private connect(): void {
    if (this.closed) return;
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/live`);
    this.socket = socket;
    socket.onopen = () => {
      if (this.closed) return;
      this.handlers.onConnected(true);
      if (this.last.run) socket.send(this.last.run);
    };
    socket.onmessage = (event) => this.received(JSON.parse(event.data as string) as Message);
    socket.onclose = () => {
      if (this.socket !== socket || this.closed) return;
      this.handlers.onConnected(false);
      this.endWaiting({ kind: "failed", reason: NO_CONNECTION });
      setTimeout(() => this.connect(), RETRY_MS);
    };
  }

  private received(message: Message): void {
    const { handlers } = this;
    if (message.answer === "changed") return handlers.onChanged(message.what ?? "");
    if (message.answer === "progress") {
      if (message.id === this.newest.run) handlers.onProgress(message.done ?? 0);
      return;
    }
    if (LASTING.includes(message.answer)) return this.receivedLasting(message.answer as LastingKind, message);
    const kind = message.answer as OnceKind;
    const once = this.waiting.get(kind);
    if (once?.id !== message.id) return;
    this.waiting.delete(kind);
    if (message.superseded) once.take({ kind: "superseded" });
    else if (message.error !== undefined) once.take({ kind: "failed", reason: message.error });
    else once.take({ kind: "answer", answer: message as never });
  }

  private receivedLasting(kind: LastingKind, message: Message): void {
    if (message.id !== this.newest[kind] || message.superseded) return; // a newer one is on its way
    if (message.stopped) this.handlers.onStopped();
    else if (message.error !== undefined) this.handlers.onFailure(kind, message.error);
    else this.handlers.onAnswer(message as unknown as Lasting);
  }
}

/** The server's small picture of a script: the last bars with what it draws. */
export interface Preview {
  symbol: string;
  timeframe: string;
  open: number[];
  high: number[];
  low: number[];
  close: number[];
  lines: { name: string; panel: string | null; color: string; form: string; values: (number | null)[] }[];
  levels: { panel: string | null; value: number }[];
  marks: { place: string; color: string; bars: number[] }[];
  tints: { color: string; bars: number[] }[];
  lanes: { name: string; bars: number[] }[];
}
