import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { LiveClient, type LiveHandlers, type Told } from "@/api/live";

/** A socket whose other end is the test. */
class Socket {
  static readonly OPEN = 1;
  static all: Socket[] = [];
  readyState = 0;
  sent: Record<string, unknown>[] = [];
  onopen: (() => void) | null = null;
  onmessage: ((event: { data: string }) => void) | null = null;
  onclose: (() => void) | null = null;

  constructor(readonly url: string) {
    Socket.all.push(this);
  }

  send(text: string): void {
    this.sent.push(JSON.parse(text) as Record<string, unknown>);
  }

  close(): void {
    this.readyState = 3;
    this.onclose?.();
  }

  accept(): void {
    this.readyState = Socket.OPEN;
    this.onopen?.();
  }

  tell(message: object): void {
    this.onmessage?.({ data: JSON.stringify(message) });
  }

  /** The newest question of a kind. */
  question(ask: string): { id: number } {
    return this.sent.filter((message) => message.ask === ask).at(-1) as { id: number };
  }
}

const handlers = () => {
  const heard: [string, unknown][] = [];
  const hear =
    (name: string) =>
    (...told: unknown[]) =>
      void heard.push([name, told.length > 1 ? told : told[0]]);
  const hands: LiveHandlers = {
    onRun: hear("run"),
    onWindow: hear("window"),
    onExplained: hear("explained"),
    onFailure: hear("failure"),
    onProgress: hear("progress"),
    onStopped: hear("stopped"),
    onConnected: hear("connected"),
    onChanged: hear("changed"),
  };
  return { heard, hands };
};

const SETUP = JSON.stringify({ text: 'title "A \\" b"', market: "KELP" });
const socket = () => Socket.all.at(-1)!;

function opened() {
  const { heard, hands } = handlers();
  const client = new LiveClient(hands);
  socket().accept();
  heard.length = 0;
  return { client, heard };
}

beforeEach(() => {
  Socket.all = [];
  vi.stubGlobal("WebSocket", Socket);
  vi.useFakeTimers();
});
afterEach(() => vi.useRealTimers());

describe("what is asked again and again", () => {
  it("sends a setup as the very text it is known by", () => {
    const { client } = opened();
    client.run(SETUP);
    expect(socket().url).toBe("ws://127.0.0.1:8765/live");
    expect(socket().question("run")).toEqual({ id: 1, ask: "run", setup: JSON.parse(SETUP) as object });
  });

  it("hears the newest answer of a kind only", () => {
    const { client, heard } = opened();
    client.run(SETUP);
    const first = socket().question("run");
    client.run(SETUP);
    const second = socket().question("run");
    socket().tell({ ...first, answer: "run", title: "old" });
    socket().tell({ ...first, answer: "run", superseded: true });
    socket().tell({ ...first, answer: "progress", done: 0.9 });
    expect(heard).toEqual([]);
    socket().tell({ ...second, answer: "progress", done: 0.25 });
    socket().tell({ ...second, answer: "run", title: "new" });
    expect(heard).toEqual([
      ["progress", 0.25],
      ["run", { ...second, answer: "run", title: "new" }],
    ]);
  });

  it("tells windows, bars, failures and stops apart", () => {
    const { client, heard } = opened();
    client.run(SETUP);
    client.window("key", 0, 99, 500);
    client.explain("key", 7);
    const [window, bar] = [socket().question("window"), socket().question("explain")];
    expect(window).toMatchObject({ run: "key", first: 0, last: 99, columns: 500 });
    expect(bar).toMatchObject({ run: "key", bar: 7 });
    socket().tell({ id: window.id, answer: "window", step: 1 });
    socket().tell({ id: bar.id, answer: "explain", bar: 7 });
    client.stop();
    socket().tell({ id: 1, answer: "run", stopped: true });
    client.window("key", 1, 2, 3);
    socket().tell({ id: socket().question("window").id, answer: "window", error: "gone" });
    expect(heard.map(([name]) => name)).toEqual(["window", "explained", "stopped", "failure"]);
    expect(heard.at(-1)![1]).toEqual(["window", "gone"]);
    expect(socket().question("stop")).toBeDefined();
  });

  it("hears no bar after none is read any more", () => {
    const { client, heard } = opened();
    client.explain("key", 7);
    const { id } = socket().question("explain");
    client.explainNone();
    socket().tell({ id, answer: "explain", bar: 7 });
    expect(heard).toEqual([]);
  });

  it("hears of changes made elsewhere", () => {
    const { heard } = opened();
    socket().tell({ answer: "changed", what: "scripts" });
    expect(heard).toEqual([["changed", "scripts"]]);
  });
});

describe("what is asked once", () => {
  const ended = async (asked: Promise<Told<unknown>>) => asked;

  it("ends with its answer, with why there is none, or overtaken by a newer one", async () => {
    const { client } = opened();
    const first = client.ask("lens", { run: "key", bar: 1 });
    const second = client.ask("lens", { run: "key", bar: 2 });
    expect(await ended(first)).toEqual({ kind: "superseded" });
    const { id } = socket().question("lens");
    socket().tell({ id: id - 1, answer: "lens", bar: 1 }); // too late: nobody waits for it
    socket().tell({ id, answer: "lens", bar: 2 });
    expect(await ended(second)).toEqual({ kind: "answer", answer: { id, answer: "lens", bar: 2 } });
    const third = client.ask("funnel", { run: "key" });
    socket().tell({ id: socket().question("funnel").id, answer: "funnel", error: "no such run" });
    expect(await ended(third)).toEqual({ kind: "failed", reason: "no such run" });
    const fourth = client.ask("funnel", { run: "key" });
    socket().tell({ id: socket().question("funnel").id, answer: "funnel", superseded: true });
    expect(await ended(fourth)).toEqual({ kind: "superseded" });
  });

  it("keeps kinds apart", async () => {
    const { client } = opened();
    const lens = client.ask("lens", { run: "key", bar: 1 });
    const funnel = client.ask("funnel", { run: "key" });
    socket().tell({ id: socket().question("funnel").id, answer: "funnel", rules: [] });
    socket().tell({ id: socket().question("lens").id, answer: "lens", bar: 1 });
    expect((await ended(funnel)).kind).toBe("answer");
    expect((await ended(lens)).kind).toBe("answer");
  });

  it("fails at once without a connection, and when it is lost on the way", async () => {
    const { hands } = handlers();
    const client = new LiveClient(hands);
    expect((await ended(client.ask("funnel", { run: "key" }))).kind).toBe("failed");
    socket().accept();
    const waiting = client.ask("funnel", { run: "key" });
    socket().close();
    expect(await ended(waiting)).toMatchObject({ kind: "failed" });
  });

  it("is over when the page closes the connection itself", async () => {
    const { client, heard } = opened();
    const waiting = client.ask("funnel", { run: "key" });
    client.close();
    expect(await ended(waiting)).toEqual({ kind: "superseded" });
    vi.advanceTimersByTime(10_000);
    expect(Socket.all).toHaveLength(1);
    expect(heard).toEqual([]);
  });
});

describe("a lost connection", () => {
  it("comes back by itself, and the last run is asked for again", () => {
    const { client, heard } = opened();
    client.run(SETUP);
    socket().close();
    expect(heard).toEqual([["connected", false]]);
    vi.advanceTimersByTime(699);
    expect(Socket.all).toHaveLength(1);
    vi.advanceTimersByTime(1);
    expect(Socket.all).toHaveLength(2);
    socket().close(); // the program is not there yet
    vi.advanceTimersByTime(700);
    socket().accept();
    expect(heard.at(-1)).toEqual(["connected", true]);
    expect(socket().sent).toEqual([{ id: 1, ask: "run", setup: JSON.parse(SETUP) as object }]);
    socket().tell({ id: 1, answer: "run", title: "again" });
    expect(heard.at(-1)![0]).toBe("run");
  });

  it("sends nothing while it lasts, and the newest setup after it", () => {
    const { client } = opened();
    socket().close();
    client.run(SETUP);
    client.run(SETUP.replace("KELP", "LAMP"));
    vi.advanceTimersByTime(700);
    socket().accept();
    expect(socket().sent).toMatchObject([{ ask: "run", setup: { market: "LAMP" } }]);
  });
});
