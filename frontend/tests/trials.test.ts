import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { FigureInfo, Run, Surface, TradeColumns, Trial, Varying } from "@/api";
import {
  axesOf,
  axisLabel,
  bytesText,
  drawnRuns,
  every,
  finishedRuns,
  firstView,
  gridOf,
  limitOf,
  limitText,
  openedState,
  orderOf,
  shortValue,
  SIGNAL,
  spanText,
  varyText,
} from "@/trials/model";
import { aliasFor, emptyDraft, freeTitle, strategyText, toggled, withRule, writtenAs } from "@/workbench/builder/model";
import { rowsShown, sumText, tradeKeys, tradeSentence, unitsText } from "@/workbench/trades/model";
import { byTime, fieldsShown, runningSums, sortedRows, tradesCsv, TRADE_FIELDS } from "@/workbench/trades/table";

const varying = (name: string, more: Partial<Varying> = {}): Varying => ({
  name,
  label: `about ${name}`,
  default: "1",
  low: 1,
  high: 9,
  step: 2,
  words: [],
  switches: [],
  ...more,
});

describe("what varies", () => {
  const some = [
    varying("a"),
    varying("b", { words: ["ema", "sma"] }),
    varying("c", { switches: ["stop 2", "target 3"] }),
  ];

  it("are the inputs asked for, else the first two, then timeframe, market and sides", () => {
    const asked = axesOf(some, ["c", "nothing"], { market: "KELP", timeframe: "7m" }, ["KELP", "LAMP"]);
    expect(asked.map((axis) => [axis.name, axis.isOn])).toEqual([
      ["c", true],
      ["a", false],
      ["b", false],
      ["timeframe", false],
      ["market", false],
      ["sides", false],
    ]);
    expect(asked[3]!.words).toContain("7m");
    expect(asked[0]!.said).toBe("lets exist: stop 2; target 3");
    expect(
      axesOf(some, [], { market: "KELP", timeframe: "1h" }, [])
        .filter((axis) => axis.isOn)
        .map((axis) => axis.name),
    ).toEqual(["a", "b"]);
  });

  it("is written as the command line has it, words in their own order", () => {
    const [a, b] = axesOf(some, [], { market: "KELP", timeframe: "1h" }, []);
    expect(varyText(a!)).toBe("a=1..9:2");
    expect(varyText({ ...b!, chosen: ["sma", "ema"] })).toBe("b=ema,sma");
  });

  it("stays plain in an order where it is not asked for", () => {
    const order = orderOf("sweep", { text: "" } as never, { vary: ["a"], seed: 7 });
    expect(order).toMatchObject({ kind: "sweep", vary: ["a"], seed: 7, split: "", design: "grid", min_trades: 30 });
  });
});

const trial = (more: Partial<Trial> = {}): Trial =>
  ({
    axes: [
      { name: "a", values: [1, 2, 3], ordered: true, is_place: false },
      { name: "b", values: ["x", "y"], ordered: false, is_place: false },
    ],
    parts: [],
    total: 6,
    done: 6,
    state: "done",
    order: {
      setup: {
        market: "KELP",
        timeframe: "15m",
        account: "Own",
        sides: "both",
        inputs: { k: 5 },
        inverted: false,
        from_date: null,
        to_date: null,
      },
    },
    ...more,
  }) as never;

describe("a surface", () => {
  const surface = (count: number): Surface => ({
    values: Array.from({ length: count }, (_, place) => place),
    neighbourhood: [],
    numbers: Array.from({ length: count }, (_, place) => 100 + place),
    plateau: null,
    rocks: [],
    best: null,
  });

  it("is laid out with its first axis across, row by row from the bottom", () => {
    const grid = gridOf(trial(), surface(6), firstView(trial()));
    expect([grid.xName, grid.yName]).toEqual(["a", "b"]);
    // x runs slowest where it comes from: the place of (a = 2, b = y) is 1 * 2 + 1.
    expect(grid.values[1 * 3 + 1]).toBe(3);
    expect(grid.numbers).toEqual([100, 102, 104, 101, 103, 105]);
    expect(grid.scores.every((score) => score === null)).toBe(true);
  });

  it("of one axis is one row", () => {
    const grid = gridOf(trial(), surface(3), { x: "a", y: null, held: {}, fold: "best", part: 0 });
    expect([grid.xValues.length, grid.yValues.length, grid.values.length]).toEqual([3, 1, 3]);
  });

  it("begins with the axes that have more than one value", () => {
    const flat = trial({
      axes: [
        { name: "a", values: [1], ordered: true, is_place: false },
        { name: "b", values: ["x", "y"], ordered: false, is_place: false },
      ],
    });
    expect(firstView(flat)).toMatchObject({ x: "b", y: null });
  });
});

describe("values of trials", () => {
  const info = (unit: string) => ({ unit }) as FigureInfo;
  it("are short", () => {
    expect([true, false, 1 / 3, "ema", 1e-7].map(axisLabel)).toEqual(["on", "off", "0.333333", "ema", "1e-7"]);
    expect([12_345, -5_651, 0.052, -0.004, 3.44].map((value) => shortValue(info("money"), value))).toEqual([
      "12k",
      "−5651",
      "0.05",
      "0.00",
      "3.4",
    ]);
    expect(shortValue(info("fraction"), 0.123)).toBe("12");
    expect([999, 2_400_000].map(bytesText)).toEqual(["under 1 MB", "2 MB"]);
    expect(
      [
        [10, 5],
        [3, 5],
        [0, 5],
      ].map(([count, most]) => every(count!, most!)),
    ).toEqual([2, 1, 1]);
    expect(spanText({ name: "", first: "2024-09-01", last: "2025-01-31", days: 9 })).toBe("1 Sep 24 – 31 Jan 25");
  });

  it("are limited in the unit they are shown in", () => {
    expect(limitOf(info("fraction"), "12.5")).toBe(0.125);
    expect(limitOf(info("money"), " ")).toBeNull();
    expect(limitOf(info("money"), "1e3")).toBe(1000);
    expect(limitOf(info("money"), "many")).toBeNull();
    expect(limitText(info("fraction"), 0.1)).toBe("10 %");
    expect(limitText(info("percent"), 5)).toBe("5 %");
  });
});

describe("a trial that runs", () => {
  it("is drawn anew at every hundredth, and whole when it is done", () => {
    expect(drawnRuns(undefined)).toBe(0);
    expect(drawnRuns(trial({ state: "running", total: 100_000, done: 12_345 }))).toBe(12_000);
    expect(drawnRuns(trial({ state: "running", total: 500, done: 123 }))).toBe(123);
    expect(drawnRuns(trial({ state: "done", total: 100_000, done: 99_999 }))).toBe(99_999);
  });

  it("has as many finished runs as whole windows", () => {
    const walk = trial({ total: 60, done: 35, parts: [{}, {}, {}] as never });
    expect(finishedRuns(walk)).toBe(20);
    expect(finishedRuns(undefined)).toBe(0);
  });

  it("opens a run where and as it was made", () => {
    const placed = trial({
      axes: [
        { name: "a", values: [1], ordered: true, is_place: false },
        { name: "market", values: ["LAMP"], ordered: false, is_place: true },
        { name: "sides", values: ["long"], ordered: false, is_place: true },
      ],
      parts: [{ name: "in", first: "2024-01-01", last: "2024-06-30", days: 1 }],
    });
    const found = openedState(
      placed,
      { inputs: { a: 2, market: "LAMP", sides: "long", [SIGNAL]: "x" } },
      { script: "S", version: 3 },
    );
    expect(found).toEqual({
      script: "S",
      version: 3,
      market: "LAMP",
      timeframe: "15m",
      from: "2024-01-01",
      to: "2024-06-30",
      account: "Own",
      sides: "long",
      inverted: undefined,
      inputs: { k: 5, a: 2 },
    });
  });
});

describe("the plan builder", () => {
  const up = { text: "up", kind: "condition", meaning: "", used: "{}.up" } as never;
  const plan = (more: object) => ({ ...emptyDraft("My plan"), ...more });
  const chosen = (more: object) => ({ ...emptyDraft("").chosen, ...more });

  it("writes a condition as it is reached", () => {
    expect(writtenAs(up, null)).toBe("up");
    expect(writtenAs(up, "other")).toBe("other.up");
    expect(writtenAs({ used: null } as never, "other")).toBeNull();
  });

  it("finds titles and names that are free", () => {
    expect(freeTitle("A", ["A", "A 2"])).toBe("A 3");
    expect(aliasFor("Tide Bands", "tide = 1", [])).toBe("tide_2");
    expect(aliasFor("123", "", ["other"])).toBe("other_2");
  });

  it("joins what was chosen into rules, brackets where they are needed", () => {
    const draft = plan({
      chosen: chosen({ goLong: ["up", "a or b"], notWhen: ["calm"], leaveLong: ["down", "x"] }),
      rules: ["stop 2"],
    });
    const { indicator, rules } = strategyText(
      draft,
      'title "Old"\nup = 1\n\n',
      [{ title: "Tide", alias: "tide" } as never],
      [],
    );
    expect(indicator).toBe('title "My plan"\nuse "Tide" as tide\nup = 1\n\n');
    expect(rules).toBe(
      "enter long when up\n    and (a or b)\n    and not calm\nexit long when down\n    or x\n\nstop 2\n",
    );
  });

  it("orders conditions in time, mirrors, and says what the other side does", () => {
    const draft = plan({
      chosen: chosen({ goLong: ["a", "b"] }),
      joiners: { ...emptyDraft("").joiners, goLong: "then" },
      thenBars: 5,
      isMirrored: true,
      opposite: "exit",
    });
    expect(strategyText(draft, "a = 1", [], ["enter short when c"]).rules).toBe(
      "enter long when a then b no later than 5 bars\nenter short when c\nopposite exit\n",
    );
  });

  it("keeps one stop and one size, any number of others", () => {
    const examples = [
      { section: "stop", text: "s1" },
      { section: "stop", text: "s2" },
      { section: "target", text: "t1" },
      { section: "target", text: "t2" },
    ] as never[];
    const [s1, s2, t1, t2] = examples as { section: string; text: string; said: string }[];
    let rules: string[] = [];
    for (const pressed of [s1, s2, t1, t2]) rules = withRule(rules, pressed!, examples);
    expect(rules).toEqual(["s2", "t1", "t2"]);
    expect(withRule(rules, t1!, examples)).toEqual(["s2", "t2"]);
    expect(toggled(["a"], "a")).toEqual([]);
  });
});

const HOUR = 3600;
const trades = (nets: number[]): TradeColumns => {
  const all = <T>(of: (row: number) => T) => nets.map((_, row) => of(row));
  return {
    first_number: 1,
    side: all((row) => (row % 2 ? -1 : 1)),
    entry_bar: all((row) => row * 4),
    exit_bar: all((row) => row * 4 + 2),
    entry_time: all((row) => Date.UTC(2024, 0, 1) / 1000 + row * 30 * HOUR),
    exit_time: all((row) => Date.UTC(2024, 0, 1) / 1000 + row * 30 * HOUR + 2 * HOUR),
    entry_price: all(() => 100),
    exit_price: all(() => 101),
    entry_mid: all(() => 99.5),
    exit_mid: all(() => 101.5),
    units: all(() => 2),
    gross: nets.map((net) => net + 3),
    commission: all(() => 2),
    spread: all(() => 1),
    slippage: all(() => 0),
    financing: all(() => 0),
    net: nets,
    percent: all(() => 1),
    best: all(() => 5),
    worst: all(() => -5),
    r: all((row) => (row % 3 ? row : null)),
    stop: all(() => null),
    target: all(() => null),
    bars_held: all(() => 2),
    rule: all((row) => row % 2),
    rules: ["Up", "=Down"],
    reason: all(() => 0),
    reasons: ["stop"],
  };
};
const nets = fc.array(fc.double({ min: -1e4, max: 1e4, noNaN: true }), { minLength: 1, maxLength: 40 });

describe("trades", () => {
  it("are shown once by opposite filters, all without one", () => {
    fc.assert(
      fc.property(nets, (found) => {
        const all = trades(found);
        const rows = (filter: object) => rowsShown(all, filter, "UTC", null);
        expect(rows({})).toHaveLength(found.length);
        for (const [one, other] of [
          [{ side: "long" }, { side: "short" }],
          [{ result: "won" }, { result: "lost" }],
          [{ rule: 0 }, { rule: 1 }],
        ])
          expect([...rows(one!), ...rows(other!)].sort((a, b) => a - b)).toEqual(rows({}));
        const week = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"].flatMap((weekday) => rows({ weekday }));
        expect(week.sort((a, b) => a - b)).toEqual(rows({}));
      }),
    );
  });

  it("are new where the pinned run did not make them", () => {
    const all = trades([1, 2, 3]);
    const pinned = tradeKeys({ entry_time: [all.entry_time[0]!, all.entry_time[1]!], side: ["long", "long"] });
    expect(rowsShown(all, { isNew: true }, "UTC", pinned)).toEqual([1, 2]); // the second went the other way there
  });

  it("are sorted by any column, both ways, what is unknown last", () => {
    fc.assert(
      fc.property(nets, fc.constantFrom(...TRADE_FIELDS), fc.boolean(), (found, field, isDown) => {
        const all = trades(found);
        const rows = sortedRows(
          all,
          found.map((_, row) => row),
          { key: field.key, isDown },
        );
        expect([...rows].sort((a, b) => a - b)).toEqual(found.map((_, row) => row));
        const values = rows.map((row) => field.value(all, row));
        const known = values.filter((value) => value !== null);
        expect(values.slice(known.length).every((value) => value === null)).toBe(true);
        known
          .slice(1)
          .forEach((value, place) => expect(isDown ? known[place]! >= value : known[place]! <= value).toBe(true));
      }),
    );
  });

  it("add up, on the way and by month", () => {
    fc.assert(
      fc.property(nets, (found) => {
        const all = trades(found);
        const rows = found.map((_, row) => row);
        const sum = found.reduce((a, b) => a + b, 0);
        expect(runningSums(all, rows).at(-1)).toBeCloseTo(sum, 6);
        const months = byTime({ trades: all, zone: "UTC" } as Run, rows, "month");
        expect(months.reduce((a, month) => a + month.net, 0)).toBeCloseTo(sum, 6);
        expect(months.reduce((a, month) => a + month.count, 0)).toBe(found.length);
        for (const month of months) expect(month.gross - month.costs).toBeCloseTo(month.net, 6);
      }),
    );
    expect(sumText(trades([10, -4]), [0, 1])).toBe("+6.00 in all · 1 won · +3.00 a trade");
  });

  it("leave out a kind of cost that none had", () => {
    const keys = fieldsShown(trades([1])).map((field) => field.key);
    expect(keys).toContain("commission");
    expect(keys).not.toContain("slippage");
  });

  it("are told in a sentence that adds up", () => {
    const run = { trades: trades([7, -9]), zone: "UTC" } as Run;
    const told = tradeSentence(run, "KELP", 1, 2);
    expect(told.entry).toBe("Short 2 KELP at 100.00 on 2 Jan 2024 06:00 by “=Down”");
    expect(told.exit).toContain("by stop, after 2 bars");
    expect(told.between).toBe("between mids 99.50 and 101.50: −6.00; commission 2.00, spread 1.00");
    expect(told.money).toBe("−9.00, +1.00 R");
    expect(unitsText(1234.5)).toBe("1,234.5");
  });

  it("go to a file that no spreadsheet computes, in ISO times", () => {
    const [head, first, second, end] = tradesCsv(trades([1, 2]), [0, 1]).split("\n");
    expect(head!.split(",")).toEqual([...TRADE_FIELDS.map((field) => field.key), "running_sum"]);
    expect(first).toContain("2024-01-01T00:00:00Z");
    expect(second).toContain("'=Down");
    expect(second!.endsWith(",3")).toBe(true);
    expect(end).toBe("");
    const quoted = { ...trades([1]), rules: ['a,"b"', ""] };
    expect(tradesCsv(quoted, [0])).toContain('"a,""b"""');
  });
});
