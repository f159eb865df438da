import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { changedTo, changesInWords, drawnAt, type Changes, type Settings } from "@/markets/description";

const STORED = { tick: 0.25, spread: 2, spread_by_hour: null, commission: null, zone: "UTC", pip: null } as Settings;

describe("the changes of a market", () => {
  it("are what differs from what is stored, whatever the way there", () => {
    const moves = fc.array(fc.tuple(fc.constantFrom("tick", "spread"), fc.constantFrom(0.25, 1, 2)), { maxLength: 12 });
    fc.assert(
      fc.property(moves, (made) => {
        let changes: Changes = {};
        const wanted = { ...STORED };
        for (const [key, value] of made as ["tick" | "spread", number][]) {
          changes = changedTo(STORED, changes, key, value);
          wanted[key] = value;
        }
        expect({ ...STORED, ...changes }).toEqual(wanted);
        expect(Object.keys(changes).sort()).toEqual(
          (["spread", "tick"] as const).filter((key) => wanted[key] !== STORED[key]),
        );
      }),
    );
  });

  it("compare lists and fees by what they hold", () => {
    const hours = Array.from({ length: 24 }, () => 2);
    const stored = { ...STORED, spread_by_hour: hours };
    expect(changedTo(stored, {}, "spread_by_hour", [...hours])).toEqual({});
    const drawn = drawnAt(hours, 17, 3);
    expect(changesInWords(stored, changedTo(stored, {}, "spread_by_hour", drawn))).toBe("spread at 17:00");
    expect(changesInWords(STORED, { tick: 0.5, commission: { percent: 0.1 } as Settings["commission"] })).toBe(
      "tick 0.25 → 0.5, commission none → its own",
    );
  });
});

describe("a column that is drawn", () => {
  it("changes its hour only, is never negative, and is a round number", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 23 }), fc.double({ min: -5, max: 50, noNaN: true }), (hour, value) => {
        const before = Array.from({ length: 24 }, (_, place) => place / 10);
        const after = drawnAt(before, hour, value);
        expect(after.filter((spread, place) => place !== hour && spread !== before[place])).toEqual([]);
        expect(after[hour]).toBeGreaterThanOrEqual(0);
        expect(Math.abs(after[hour]! - Math.max(0, value))).toBeLessThanOrEqual(0.5);
        expect(String(after[hour]).length).toBeLessThanOrEqual(6);
      }),
    );
  });
});
