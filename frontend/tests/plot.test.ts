import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { previewSvg } from "@/ui/previewSvg";
import { bandOf, endsOf, pathOf, pointsOf, roundLevels, scaleAbout, scaleOf } from "@/ui/plot/scale";

const some = fc.array(fc.option(fc.double({ min: -1e7, max: 1e7, noNaN: true }), { nil: null }), {
  minLength: 1,
  maxLength: 60,
});
const known = (values: (number | null)[]) => values.filter((value) => value !== null);

describe("a scale", () => {
  it("holds every value between its ends, the greater the farther", () => {
    fc.assert(
      fc.property(some, fc.double({ min: 0, max: 0.5, noNaN: true }), (values, room) => {
        const scale = scaleOf(values, [100, 20], room);
        for (const value of known(values)) {
          expect(scale(value)).toBeLessThanOrEqual(100 + 1e-6);
          expect(scale(value)).toBeGreaterThanOrEqual(20 - 1e-6);
        }
        const [low, high] = endsOf(values);
        if (high - low > 1e-6) expect(scale(high)).toBeLessThan(scale(low));
      }),
    );
  });

  it("puts what is all alike in the middle, and knows ends where nothing is known", () => {
    expect(scaleOf([5, 5], [100, 20])(5)).toBe(60);
    expect(endsOf([null, undefined])).toEqual([0, 1]);
    expect(scaleOf([], [0, 10])(0.5)).toBe(5);
  });

  it("about a middle shows a value and its opposite as far from it", () => {
    const scale = scaleAbout([3, -8, null], [0, 100]);
    expect(scale(0)).toBe(50);
    expect(scale(-8)).toBeCloseTo(0);
    expect(scale(3) - 50).toBeCloseTo(50 - scale(-3));
    expect(scaleAbout([0], [0, 100])(0)).toBe(50);
  });
});

describe("round levels", () => {
  it("lie inside the values, about as many as wished", () => {
    fc.assert(
      fc.property(some, (values) => {
        const levels = roundLevels(values, 9);
        const [low, high] = endsOf(values);
        expect(levels.length).toBeLessThanOrEqual(20);
        for (const level of levels) {
          expect(level).toBeGreaterThanOrEqual(low - Math.abs(low) * 1e-9);
          expect(level).toBeLessThanOrEqual(high + Math.abs(high) * 1e-9);
        }
      }),
    );
    expect(roundLevels([-10, 10], 9)).toContain(0);
    expect(roundLevels([null], 9)).toEqual([]);
    expect(roundLevels([4, 4, null], 9)).toEqual([4]);
    expect(roundLevels([1e6, 1e6 + 1e-9], 9).length).toBeLessThanOrEqual(20);
  });
});

describe("lines", () => {
  const x = (place: number) => place * 10;
  const y = (value: number) => value;
  it("leave out what is unknown, or break there", () => {
    expect(pointsOf([1, null, 3], x, y)).toBe("0.0,1.0 20.0,3.0");
    expect(pathOf([1, 2, null, 3, undefined], x, y)).toBe("M0.0 1.0L10.0 2.0M30.0 3.0");
    expect(pathOf([null], x, y)).toBe("");
  });

  it("make a band there and back", () => {
    expect(bandOf([1, 2], [5, 6], x, y)).toBe("0.0,5.0 10.0,6.0 10.0,2.0 0.0,1.0");
  });
});

describe("the picture of a script", () => {
  const preview = {
    symbol: "KELP",
    timeframe: "1d",
    time: [0, 1, 2],
    open: [1, 2, 3],
    high: [3, 3, 4],
    low: [0, 1, 2],
    close: [2, 1, 3],
    lines: [
      { name: "a", panel: null, color: "deep", form: "line", values: [1, null, 2] },
      { name: "b", panel: "<P>", color: "brass", form: "line", values: [null, null, null] },
      { name: "c", panel: "Q", color: "brass", form: "line", values: [1, 2, 3] },
    ],
    levels: [{ panel: "Q", value: 2 }],
    marks: [{ place: "below", color: "long", bars: [1] }],
    tints: [{ color: "soft", bars: [0] }],
    lanes: [{ name: 'up & "on"', bars: [0, 2] }],
  };
  it("shows bars, lines, marks, tints and conditions, and leaves an empty panel out", () => {
    const svg = previewSvg(preview);
    expect(svg.match(/<g stroke/g)).toHaveLength(3);
    expect(svg).toContain("M76.7 ");
    expect(svg.match(/<circle/g)).toHaveLength(1);
    expect(svg).not.toContain("&#60;P");
    expect(svg).toContain("up &#38; &#34;on&#34;");
    expect(svg).not.toContain("NaN");
  });
});
