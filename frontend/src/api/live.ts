import { LastingSocket } from "./socket";
import type { components } from "./schema";

type Schemas = components["schemas"];
type Questions = Schemas["LiveQuestions"];
type Answers = Schemas["LiveAnswers"];
type Word = Schemas["LiveWord"];
type Asked<K extends keyof Questions> = Omit<Questions[K], "id">;

export type Figures = Record<string, number | null>;
export type InputInfo = Schemas["InputShown"];
export type Finding = Schemas["TimedFinding"];
export type TradeColumns = Schemas["TradeColumns"];
export type SceneLine = Schemas["LegendLine"];
export type Run = Schemas["RunShown"];
export type RunAnswer = Answers["run"];
export type Extremes = Schemas["Extremes"];
export type ChartWindow = Answers["window"];
export type BarExplained = Answers["explain"];
export type Tone = Schemas["LineReading"]["tone"];
export type LensView = Answers["lens"];
export type LevelsInForce = Schemas["LevelsInForce"];
export type FunnelView = Answers["funnel"];

/** How a question ended: with its answer, with a reason why there is none, or overtaken by a newer one of its kind. */
export type Told<T> = { kind: "answer"; answer: T } | { kind: "failed"; reason: string } | { kind: "superseded" };

/** What is asked again and again, and what is asked once and answered once. */
type LastingKind = "run" | "window" | "explain";
type OnceKind = Exclude<keyof Questions, LastingKind>;
const LASTING: readonly string[] = ["run", "window", "explain"] satisfies LastingKind[];

/** Of each kind a newer question takes the place of an older. */
export type AskOnce = <K extends OnceKind>(kind: K, body: Asked<K>) => Promise<Told<Answers[K]>>;

export interface LiveHandlers {
  onRun: (answer: RunAnswer) => void;
  onWindow: (answer: ChartWindow) => void;
  onExplained: (answer: BarExplained) => void;
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

/** A question's JSON without its braces. */
const inner = (body: Asked<"window"> | Asked<"explain">) => JSON.stringify(body).slice(1, -1);

/** The live loop: of each kind only the newest question counts, and runs are asked again after a lost connection. */
export class LiveClient {
  private readonly socket: LastingSocket;
  private lastRun: string | null = null;
  private newest: Partial<Record<LastingKind, number>> = {};
  private waiting = new Map<string, { id: number; take: (told: Told<never>) => void }>();
  private counter = 0;

  constructor(private readonly handlers: LiveHandlers) {
    this.socket = new LastingSocket("/live", {
      onOpen: () => {
        handlers.onConnected(true);
        if (this.lastRun) this.socket.send(this.lastRun);
      },
      onText: (text) => this.received(text),
      onLost: (forGood) => {
        if (forGood) return;
        handlers.onConnected(false);
        this.endWaiting({ kind: "failed", reason: NO_CONNECTION });
      },
    });
  }

  /** Check and run a setup, given as the JSON that it is known by. */
  run(setup: string): void {
    this.lastRun = this.lasting("run", `"setup":${setup}`);
  }

  /** End the run that is being computed. */
  stop(): void {
    this.socket.send(JSON.stringify({ id: ++this.counter, ask: "stop" }));
  }

  window(run: string, first: number, last: number, columns: number): void {
    this.lasting("window", inner({ run, first, last, columns }));
  }

  explain(run: string, bar: number): void {
    this.lasting("explain", inner({ run, bar }));
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
      if (!this.socket.send(JSON.stringify({ id, ask: kind, ...body })))
        return resolve({ kind: "failed", reason: NO_CONNECTION });
      this.waiting.set(kind, { id, take: resolve });
    });

  close(): void {
    this.socket.close();
    this.endWaiting({ kind: "superseded" });
  }

  private endWaiting(told: Told<never>): void {
    for (const once of this.waiting.values()) once.take(told);
    this.waiting.clear();
  }

  private lasting(ask: LastingKind, body: string): string {
    const id = ++this.counter;
    this.newest[ask] = id;
    const text = `{"id":${id},"ask":"${ask}",${body}}`;
    this.socket.send(text);
    return text;
  }

  private received(text: string): void {
    const { handlers } = this;
    const told = JSON.parse(text) as Word;
    if (told.answer === "changed") return handlers.onChanged(told.what ?? "");
    if (told.answer === "progress") {
      if (told.id === this.newest.run) handlers.onProgress(told.done ?? 0);
      return;
    }
    if (LASTING.includes(told.answer)) return this.receivedLasting(told.answer as LastingKind, told);
    const once = this.waiting.get(told.answer);
    if (once?.id !== told.id) return;
    this.waiting.delete(told.answer);
    if (told.superseded) once.take({ kind: "superseded" });
    else if (told.error != null) once.take({ kind: "failed", reason: told.error });
    else once.take({ kind: "answer", answer: told as never });
  }

  private receivedLasting(kind: LastingKind, told: Word): void {
    const { handlers } = this;
    if (told.id !== this.newest[kind] || told.superseded) return; // a newer one is on its way
    if (told.stopped) handlers.onStopped();
    else if (told.error != null) handlers.onFailure(kind, told.error);
    else if (kind === "run") handlers.onRun(told as Word & RunAnswer);
    else if (kind === "window") handlers.onWindow(told as Word & ChartWindow);
    else handlers.onExplained(told as Word & BarExplained);
  }
}
