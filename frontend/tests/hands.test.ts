import { beforeEach, describe, expect, it } from "vitest";
import type { ChartWindow, Run } from "@/api";
import { listenToHands, type Handled } from "@/workbench/chart/hands";
import { rowAt } from "@/workbench/chart/legend";
import { BarReader } from "@/workbench/chart/reader";
import type { View } from "@/workbench/chart/view";

const run = (more: Partial<Run> = {}) => ({ key: "k", first: 0, last: 99, ...more }) as Run;

describe("the bar that is read", () => {
  let told: [string, number | null][];
  let reader: BarReader;
  beforeEach(() => {
    told = [];
    reader = new BarReader((key, bar) => void told.push([key, bar]));
  });

  it("is told once, and goes on being read when the pointer has left", () => {
    for (const under of [5, 5, null, 6, null]) reader.tell(run(), under, null);
    expect(told).toEqual([
      ["k", 5],
      ["k", 6],
    ]);
  });

  it("is the held one whatever the pointer does, at most the last that is not covered", () => {
    expect(reader.hold(run(), 500, null, null)).toBe(99);
    expect(reader.hold(run(), 50, 40, null)).toBe(40);
    reader.tell(run(), 7, 40);
    expect(told).toEqual([["k", 40]]);
    reader.letGo(run(), 7);
    reader.tell(run(), 70, 40);
    expect(told.at(-1)).toEqual(["k", 40]); // covered: nothing after it is read
    expect(told).toHaveLength(1);
  });

  it("is none outside the dates, and none after letting go of nothing", () => {
    reader.tell(run({ first: 10 }), 3, null);
    expect(told).toEqual([["k", null]]);
    reader.letGo(run({ first: 10 }), 20);
    expect(told.at(-1)).toEqual(["k", null]);
    reader.tell(run({ first: 10 }), 20, null); // until the pointer comes to another bar
    expect(told).toHaveLength(2);
    reader.tell(run({ first: 10 }), 21, null);
    expect(told.at(-1)).toEqual(["k", 21]);
  });

  it("stays held on a run of the same bars, and is told anew of it", () => {
    reader.hold(run(), 50, null, 123);
    reader.tell(run(), null, null);
    reader.moveTo(run({ key: "l" }), true);
    reader.tell(run({ key: "l" }), null, null);
    expect(told.map(([key]) => key)).toEqual(["k", "l"]);
    expect([reader.held, reader.moment]).toEqual([50, 123]);
    reader.moveTo(run({ key: "m", last: 20 }), true);
    expect(reader.held).toBeNull();
  });
});

describe("the row of a bar", () => {
  const window = { first: 100, step: 4, x: [100, 104, 108] } as ChartWindow;
  it.each([
    [100, 0],
    [103, 0],
    [104, 1],
    [107, 1],
    [0, 0],
    [1e9, 2],
  ])("%d is row %d", (bar, row) => expect(rowAt(window, bar)).toBe(row));
});

describe("hands", () => {
  const OVERVIEW = 36;
  let view: View;
  let shown: View[];
  let pressed: number[];
  let hand: (name: string, event: object) => void;
  let gone: AbortController;

  beforeEach(() => {
    view = { a: 1000, b: 2000 };
    [shown, pressed, gone] = [[], [], new AbortController()];
    const heard = new Map<string, (event: object) => void>();
    const root = {
      addEventListener: (name: string, act: (event: object) => void, { signal }: { signal: AbortSignal }) => {
        heard.set(name, act);
        signal.addEventListener("abort", () => heard.delete(name));
      },
      getBoundingClientRect: () => ({ left: 100, top: 0 }),
      setPointerCapture: () => undefined,
    };
    const chart: Handled = {
      view: () => view,
      bars: () => 10_000,
      width: () => 500,
      show: (next) => {
        view = next;
        shown.push(next);
      },
      press: (bar) => void pressed.push(bar),
      fit: () => void shown.push({ a: 0, b: 10_000 }),
    };
    listenToHands(root as never, chart, gone.signal);
    hand = (name, event) => heard.get(name)?.({ button: 0, preventDefault() {}, pointerId: 1, ...event });
  });

  it("press a bar where they do not move", () => {
    hand("pointerdown", { clientX: 350, clientY: 200 });
    hand("pointerup", { clientX: 352 });
    expect(pressed).toEqual([1504]);
  });

  it("drag the view along, as far as they go", () => {
    hand("pointerdown", { clientX: 350, clientY: 200 });
    hand("pointermove", { clientX: 300 });
    hand("pointermove", { clientX: 250 });
    hand("pointerup", { clientX: 250 });
    expect(view).toEqual({ a: 1200, b: 2200 });
    expect(pressed).toEqual([]);
    hand("pointermove", { clientX: 0 });
    expect(view.a).toBe(1200);
  });

  it("leave the overview to itself, and other buttons", () => {
    hand("pointerdown", { clientX: 350, clientY: OVERVIEW - 1 });
    hand("pointermove", { clientX: 300 });
    hand("pointerdown", { clientX: 350, clientY: 200, button: 2 });
    hand("pointermove", { clientX: 300 });
    expect(shown).toEqual([]);
  });

  it("zoom about the bar under the wheel, and move sideways with Shift", () => {
    hand("wheel", { deltaX: 0, deltaY: 100, clientX: 350 });
    expect(view.b - view.a).toBeGreaterThan(1000);
    expect((1500 - view.a) / (view.b - view.a)).toBeCloseTo(0.5);
    view = { a: 1000, b: 2000 };
    hand("wheel", { deltaX: 0, deltaY: 50, clientX: 350, shiftKey: true });
    expect(view).toEqual({ a: 1100, b: 2100 });
  });

  it("are heard no more once the chart is gone", () => {
    gone.abort();
    hand("wheel", { deltaX: 0, deltaY: 100, clientX: 350 });
    hand("dblclick", {});
    expect(shown).toEqual([]);
  });
});
