import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { ChartWindow, Run } from "@/api";
import { panesOf, rowsIn, valueRange, type PaneInfo } from "@/workbench/chart/panes";
import { Printed } from "@/workbench/chart/printed";
import { keepSight, readSight } from "@/workbench/chart/sight";
import { timeTicks, zoneOffset } from "@/workbench/chart/ticks";
import { centred, clamped, lastTrades, moved, serves, stepFor, zoomed } from "@/workbench/chart/view";

const bars = fc.integer({ min: 1, max: 2_000_000 });
const view = fc
  .tuple(fc.double({ min: -1e6, max: 3e6, noNaN: true }), fc.double({ min: 0.1, max: 3e6, noNaN: true }))
  .map(([a, width]) => ({ a, b: a + width }));

describe("a view", () => {
  it("stays on the bars and is never narrower than a dozen of them", () => {
    fc.assert(
      fc.property(view, bars, (wished, count) => {
        const found = clamped(wished, count);
        const width = found.b - found.a;
        expect(width).toBeGreaterThan(Math.min(12, count) - 1e-6);
        expect(width).toBeLessThanOrEqual(Math.max(12, count * 1.02) + 1e-6);
        expect(found.b).toBeGreaterThan(0);
        expect(found.a).toBeLessThan(count);
        const again = clamped(found, count);
        expect(again.a).toBeCloseTo(found.a, 4);
        expect(again.b).toBeCloseTo(found.b, 4);
      }),
    );
  });

  it("zooms about the place under the pointer, and moving there and back changes nothing", () => {
    const found = zoomed({ a: 1000, b: 2000 }, 1250, 0.5, 1e6);
    expect((1250 - found.a) / (found.b - found.a)).toBeCloseTo(0.25);
    expect(moved(moved({ a: 1000, b: 2000 }, 77, 1e6), -77, 1e6)).toEqual({ a: 1000, b: 2000 });
    expect(centred(500, 100, 1e6)).toEqual({ a: 450, b: 550 });
  });

  it("has as many bars a column as it takes for the pixels", () => {
    fc.assert(
      fc.property(view, fc.integer({ min: 1, max: 4000 }), (wished, pixels) => {
        const step = stepFor(wished, pixels);
        expect(step).toBeGreaterThanOrEqual(1);
        expect((wished.b - wished.a) / step).toBeLessThanOrEqual(pixels);
      }),
    );
  });

  it("is served by a window that covers it with room, at its resolution", () => {
    const window = { first: 0, step: 2, count: 500 };
    expect(serves(window, { a: 300, b: 600 }, 2, 10_000)).toBe(true);
    expect(serves(window, { a: 300, b: 600 }, 1, 10_000)).toBe(false);
    expect(serves(window, { a: 700, b: 990 }, 2, 10_000)).toBe(false);
    expect(serves(window, { a: 700, b: 990 }, 2, 1_000)).toBe(true); // there is no more
    expect(serves(null, { a: 0, b: 1 }, 1, 1)).toBe(false);
  });
});

function runWith(more: Partial<Run> = {}): Run {
  return {
    bars: 5000,
    first: 0,
    last: 4999,
    is_strategy: true,
    figures: { all: { max_drawdown: 0.2 }, long: {}, short: {} },
    scene: { lines: [], levels: [], shades: [], lanes: [], tints: [] },
    trades: { entry_bar: [], exit_bar: [] },
    ...more,
  } as unknown as Run;
}

describe("the first view of a run", () => {
  it("ends at its last bars when it has no trade", () => {
    const found = lastTrades(runWith());
    expect(found.b).toBeGreaterThan(4999);
    expect(found.b - found.a).toBeLessThan(500);
  });

  it("shows the last trades whole, with room", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 60 }), { minLength: 1, maxLength: 40 }), (gaps) => {
        let bar = 100;
        const entry_bar = gaps.map((gap) => (bar += gap + 5) - 5);
        const exit_bar = entry_bar.map((entry) => entry + 5);
        const found = lastTrades(runWith({ trades: { entry_bar, exit_bar } as never }));
        expect(found.a).toBeLessThan(entry_bar.at(-1)!);
        expect(found.b).toBeGreaterThan(exit_bar.at(-1)!);
      }),
    );
  });

  it("is remembered as moments, a market each", () => {
    keepSight("KELP", { from: 1, to: 2, held: null });
    expect(readSight("KELP")).toEqual({ from: 1, to: 2, held: null });
    expect(readSight("LAMP")).toBeNull();
    sessionStorage.setItem("skelb-sight LAMP", "{ broken");
    expect(readSight("LAMP")).toBeNull();
  });
});

function windowOf(values: number[], more: Partial<ChartWindow> = {}): ChartWindow {
  return {
    first: 0,
    step: 1,
    x: values.map((_, bar) => bar),
    high: values.map((value) => value + 1),
    low: values.map((value) => value - 1),
    lines: {},
    equity: { value: values },
    holding: values,
    drawdown: values.map(() => 0.05),
    floating: values,
    ...more,
  } as unknown as ChartWindow;
}

describe("panes", () => {
  const pane = (kind: PaneInfo["kind"], name = ""): PaneInfo => ({ kind, name, height: 100, grows: false });

  it("stand in one order, one for each panel that is named", () => {
    const scene = {
      lines: [{ panel: null }, { panel: "Volume" }],
      levels: [
        { panel: "Score", value: 1 },
        { panel: "Volume", value: 2 },
      ],
    };
    const found = panesOf(runWith({ scene: scene as never }), ["up", "down"]);
    expect(found.map((item) => [item.kind, item.name])).toEqual([
      ["price", ""],
      ["panel", "Volume"],
      ["panel", "Score"],
      ["lanes", "up\ndown"],
      ["position", "position, profit"],
      ["equity", "equity"],
      ["water", "under water"],
    ]);
    expect(panesOf(runWith({ is_strategy: false }), []).map((item) => item.kind)).toEqual(["price"]);
  });

  it("take the rows a view touches, none when it has left the window", () => {
    const window = windowOf([1, 2, 3, 4, 5]);
    expect(rowsIn(window, { a: 1, b: 3 })).toEqual([1, 4]);
    expect(rowsIn(window, { a: 90, b: 99 })).toEqual([5, 5]);
    expect(rowsIn(window, { a: -50, b: -9 })[0]).toBe(0);
  });

  it("show every value in view", () => {
    const values = fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 3, maxLength: 50 });
    fc.assert(
      fc.property(values, (found) => {
        const window = windowOf(found);
        const seen = { a: 0, b: found.length };
        for (const kind of ["price", "position", "equity"] as const) {
          const [low, high] = valueRange(pane(kind), runWith(), window, seen);
          expect(low).toBeLessThan(high);
          expect(low).toBeLessThanOrEqual(Math.min(...found));
          expect(high).toBeGreaterThanOrEqual(Math.max(...found));
        }
      }),
    );
  });

  it("keep bars readable beside a line far away, and count unknown values for nothing", () => {
    const scene = { lines: [{ key: "l", panel: null }], levels: [], shades: [], lanes: [], tints: [] };
    const window = windowOf([10, 11, 12], { lines: { l: { value: [null, 1e6, null] } } as never });
    const [low, high] = valueRange(pane("price"), runWith({ scene: scene as never }), window, { a: 0, b: 3 });
    expect(high - low).toBeLessThan(20);
  });

  it("are as deep under water as the run ever was", () => {
    const [low] = valueRange(pane("water"), runWith(), windowOf([1, 2, 3]), { a: 0, b: 3 });
    expect(low).toBeCloseTo(-0.25);
  });

  it("hold levels and the ground of pillars", () => {
    const scene = {
      lines: [{ key: "v", panel: "V", form: "pillars" }],
      levels: [
        { panel: "V", value: 90 },
        { panel: null, value: 1e9 },
      ],
    };
    const window = windowOf([1, 2], { lines: { v: { value: [40, 50] } } as never });
    const [low, high] = valueRange(pane("panel", "V"), runWith({ scene: scene as never }), window, { a: 0, b: 2 });
    expect(low).toBeLessThan(0);
    expect(high).toBeGreaterThan(90);
    expect(high).toBeLessThan(200);
  });
});

describe("time ticks", () => {
  const start = Date.UTC(2024, 0, 1) / 1000;
  const series = (minutes: number, count: number) => ({
    x: Array.from({ length: count }, (_, bar) => bar),
    time: Array.from({ length: count }, (_, bar) => start + bar * minutes * 60),
  });

  it("stand apart, inside the view, in order", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(1, 15, 60, 1440),
        fc.integer({ min: 20, max: 900 }),
        fc.integer({ min: 200, max: 1600 }),
        (minutes, width, pixels) => {
          const { x, time } = series(minutes, 1000);
          const found = timeTicks(x, time, "Europe/Helsinki", 50, 50 + width, pixels);
          found.slice(1).forEach((tick, place) => {
            expect(((tick.bar - found[place]!.bar) * pixels) / width).toBeGreaterThanOrEqual(74 - 1e-9);
          });
          for (const tick of found) expect(tick.bar >= 50 && tick.bar <= 50 + width && tick.label !== "").toBe(true);
        },
      ),
    );
  });

  it("name what begins there", () => {
    const { x, time } = series(1440, 1000);
    const found = timeTicks(x, time, "UTC", 0, 999, 1200);
    expect(found.map((tick) => tick.label)).toContain("2025");
    expect(timeTicks(x, time, "UTC", 2000, 3000, 100)).toEqual([]);
  });

  it("know how far a zone is ahead, in summer and in winter", () => {
    expect(zoneOffset(start, "Europe/Helsinki")).toBe(7200);
    expect(zoneOffset(Date.UTC(2024, 6, 1) / 1000, "Europe/Helsinki")).toBe(10_800);
    expect(zoneOffset(start, "America/St_Johns")).toBe(-12_600);
    expect(zoneOffset(start, "UTC")).toBe(0);
  });
});

describe("printed words", () => {
  it("are not printed over one another", () => {
    const printed = new Printed({ measureText: (text: string) => ({ width: text.length * 6 }) } as never, 1);
    expect(printed.take("first", 100, 20, "left")).toBe(true);
    expect(printed.take("second", 120, 24, "left")).toBe(false);
    expect(printed.take("second", 120, 33, "left")).toBe(true);
    expect(printed.take("third", 94, 20, "right")).toBe(true);
    expect(printed.take("x", 115, 20, "center")).toBe(false);
  });
});
