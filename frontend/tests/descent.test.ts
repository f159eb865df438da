import fc from "fast-check";
import { expect, test } from "vitest";
import { berthsOf, type Kin } from "@/logbook/descent";

const run = (number: number, parent: number | null = null): Kin => ({ number, parent });

test("a line goes straight on, an arm that was given up stands beside it", () => {
  const { berths, columns } = berthsOf([run(4, 2), run(3, 2), run(2, 1), run(1)]);
  expect(berths.map((berth) => berth.column)).toEqual([0, 1, 0, 0]);
  expect(berths.map((berth) => berth.isGivenUp)).toEqual([false, true, false, false]);
  expect(berths.map((berth) => berth.isFirst)).toEqual([false, false, false, true]);
  expect(berths[1]!.from).toEqual({ row: 2, column: 0 });
  expect(columns).toBe(2);
});

test("an arm that goes on further than the line is the line", () => {
  const { berths } = berthsOf([run(5, 3), run(4, 2), run(3, 2), run(2, 1), run(1)]);
  expect(berths.map((berth) => berth.column)).toEqual([0, 1, 0, 0, 0]);
  expect(berths.map((berth) => berth.isGivenUp)).toEqual([false, true, false, false, false]);
});

test("lines of other scripts have columns of their own, and share one when they share no row", () => {
  const apart = berthsOf([run(4, 2), run(3, 1), run(2), run(1)]);
  expect(new Set(apart.berths.map((berth) => berth.column)).size).toBe(2);
  const after = berthsOf([run(4, 3), run(3), run(2, 1), run(1)]);
  expect(after.columns).toBe(1);
});

test("what came from a run that is older than the list comes from below", () => {
  const [first] = berthsOf([run(9, 2)]).berths;
  expect(first).toMatchObject({ column: 0, from: null, isFromBelow: true, isFirst: false });
});

test("whatever the descent, no two runs stand on one place and no line runs through another's ring", () => {
  const family = fc
    .array(fc.option(fc.nat(), { nil: null, freq: 4 }), { maxLength: 30 })
    .map((parents) =>
      parents.map((parent, at) => run(at + 1, at === 0 || parent === null ? null : (parent % at) + 1)).reverse(),
    );
  fc.assert(
    fc.property(family, fc.nat(30), (whole, most) => {
      const runs = whole.slice(0, most);
      const { berths } = berthsOf(runs);
      expect(berths.length).toBe(runs.length);
      berths.forEach((berth, row) => {
        // Straight on, a line passes only rows of its own column that are empty.
        if (berth.from?.column !== berth.column) return;
        for (let between = row + 1; between < berth.from.row; between++)
          expect(berths[between]!.column).not.toBe(berth.column);
      });
      berths.forEach((berth) => expect(berth.column).toBeGreaterThanOrEqual(0));
    }),
  );
});
