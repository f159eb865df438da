import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { setupOf, type InputInfo, type Market, type SetupState } from "@/api";
import { placeAsLeft, rememberPlace } from "@/app/places";
import { grouped, linkedPage } from "@/guide/model";
import { allDrafts, draftsElsewhere, dropDraft, keepDraft, readDraft } from "@/keeping/drafts";
import { coverageSpan, settingsOf, shareOf, yearsIn } from "@/markets/model";
import {
  canBuild,
  daysOf,
  hasDays,
  presetSpans,
  readDay,
  readTimeframe,
  timeframeInstead,
  TIMEFRAMES,
} from "@/setup/model";
import { Held } from "@/ui/held";
import { curveValues } from "@/workbench/inputs/useCurves";
import {
  changedInputs,
  firstTradeEndingFrom,
  openedOf,
  retitled,
  sliderRange,
  templateOf,
  titleIn,
} from "@/workbench/model";
import { added, placeFor, replaced } from "@/workbench/sheet/model";
import { changeInWords } from "@/workbench/steps";

const input = (more: Partial<InputInfo> = {}): InputInfo => ({
  name: "n",
  kind: "number",
  default: 10,
  low: 4,
  high: 30,
  step: 2,
  options: [],
  label: "",
  ...more,
});

describe("a setup", () => {
  it("takes from the start what the address leaves out", () => {
    const defaults = { market: "QUAY12", timeframe: "15m", account: "Dockside" };
    expect(setupOf({}, defaults, "x")).toEqual({
      text: "x",
      market: "QUAY12",
      timeframe: "15m",
      account: "Dockside",
      from_date: null,
      to_date: null,
      inputs: {},
      sides: "both",
      inverted: false,
      terms: {},
      costs: 1,
      described: {},
      basket: [],
      dearest: null,
      each: {},
    });
    expect(setupOf({ market: "KELP", sides: "long", from: "2024-01-01", inverted: true }, defaults, "")).toMatchObject({
      market: "KELP",
      sides: "long",
      from_date: "2024-01-01",
      inverted: true,
      timeframe: "15m",
    });
  });

  it("keeps no input that is at its default", () => {
    const some = changedInputs({ m: 3 }, input(), 12);
    expect(some).toEqual({ m: 3, n: 12 });
    expect(changedInputs(some, input(), 10)).toEqual({ m: 3 });
    expect(changedInputs({ n: 12 }, input(), 10)).toBeUndefined();
  });
});

describe("titles", () => {
  const title = fc
    .string({ minLength: 1, maxLength: 30 })
    .filter((text) => !/[\\\n\r\u2028\u2029]/.test(text) && text.trim() === text);

  it("that a text is given are those it says", () => {
    fc.assert(
      fc.property(
        title,
        fc.constantFrom("x = close\n", 'title "Old"\nx = close\n', '  title "A \\" b" \nnote "t"\n'),
        (wanted, text) => {
          const found = retitled(text, wanted);
          expect(titleIn(found)).toBe(wanted);
          expect(retitled(found, wanted)).toBe(found);
        },
      ),
    );
  });

  it("are none in a text without one", () => {
    expect(titleIn("x = 1\n# title no\n")).toBe("");
    expect(titleIn(templateOf("New"))).toBe("New");
  });
});

describe("a script in an address", () => {
  const script = {
    title: "A",
    versions: [
      { number: 1, text: "one" },
      { number: 2, text: "two" },
    ],
  } as never;
  it("is its version, the newest where that is not there, a template where there is no script", () => {
    expect(openedOf(script, "A", 1)?.text).toBe("one");
    expect(openedOf(script, "A", 99)?.text).toBe("two");
    expect(openedOf(script, "A", undefined)?.text).toBe("two");
    expect(openedOf(undefined, "New", 0)?.text).toContain('title "New"');
    expect(openedOf(undefined, "New", 3)).toBeUndefined();
  });
});

describe("inputs", () => {
  it("slide over their range, or about their default", () => {
    expect(sliderRange(input())).toEqual({ low: 4, high: 30, step: 2 });
    expect(sliderRange(input({ low: null, high: null, step: null }))).toEqual({ low: 0, high: 30, step: 1 });
    const parts = sliderRange(input({ default: 0.5, low: null, high: null, step: null }));
    expect(parts.step).toBeCloseTo((parts.high - parts.low) / 100);
  });

  it("are tried at no more than fifteen values, all inside, the first one first", () => {
    const numbers = fc.tuple(
      fc.integer({ min: -50, max: 50 }),
      fc.integer({ min: 1, max: 500 }),
      fc.constantFrom(0.1, 0.5, 1, 3),
    );
    fc.assert(
      fc.property(numbers, ([low, width, step]) => {
        const found = curveValues(input({ low, high: low + width, step })) as number[];
        expect(found.length).toBeLessThanOrEqual(16);
        expect(found[0]).toBe(low);
        for (const value of found) {
          expect(value).toBeLessThanOrEqual(low + width + 1e-9);
          expect(Math.abs((value - low) / step - Math.round((value - low) / step))).toBeLessThan(1e-6);
        }
      }),
    );
    expect(curveValues(input({ kind: "switch" }))).toEqual([false, true]);
    expect(curveValues(input({ kind: "choice", options: ["a", "b"] }))).toEqual(["a", "b"]);
    expect(curveValues(input({ kind: "market" }))).toEqual([]);
  });
});

describe("the trade at a bar", () => {
  it("is the first that ends there or later", () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 200 }), { maxLength: 60 }),
        fc.integer({ min: -5, max: 210 }),
        (exits, bar) => {
          const exit_bar = [...exits].sort((a, b) => a - b);
          const expected = exit_bar.findIndex((exit) => exit >= bar);
          expect(firstTradeEndingFrom({ exit_bar } as never, bar)).toBe(expected < 0 ? exit_bar.length : expected);
        },
      ),
    );
  });
});

const market = (...bars: [string, string?, string?][]): Market =>
  ({
    bars: bars.map(([timeframe, first = "2024-01-02T00:00:00Z", last = "2025-06-30T00:00:00Z"]) => ({
      timeframe,
      first,
      last,
    })),
  }) as never;

describe("timeframes", () => {
  it.each([
    ["15m", "15m"],
    [" 60M ", "1h"],
    ["720m", "12h"],
    ["1440m", "1d"],
    ["24h", "1d"],
    ["1d", "1d"],
    ["1w", "1w"],
    ["2d", null],
    ["0m", null],
    ["90", null],
    ["x", null],
    ["2000m", null],
    ["", null],
  ])("typed as %j are %j", (typed, wanted) => expect(readTimeframe(typed)).toBe(wanted));

  it("read back what is proposed", () => {
    for (const timeframe of TIMEFRAMES) expect(readTimeframe(timeframe)).toBe(timeframe);
  });

  it("are built from shorter ones that fit into them", () => {
    expect(canBuild("5m", "15m")).toBe(true);
    expect(canBuild("15m", "5m")).toBe(false);
    expect(canBuild("10m", "15m")).toBe(false);
    expect(canBuild("10m", "1d")).toBe(true);
    expect(timeframeInstead(market(["15m"]), "5m")).toBe("15m");
    expect(timeframeInstead(market(["10m"]), "15m")).toBe("30m");
    expect(timeframeInstead(market(["1d"]), "15m")).toBe("1d");
    expect(timeframeInstead(market(["1h"]), "1w")).toBe("1w");
    expect(timeframeInstead(market(), "1h")).toBeUndefined();
  });
});

describe("days", () => {
  it.each([
    ["2024-01-31", "2024-01-31"],
    ["31 Jan 2024", "2024-01-31"],
    ["1 September 2024", "2024-09-01"],
    ["1 sept. 2024", "2024-09-01"],
    ["2024-2-9", "2024-02-09"],
    ["30 Feb 2024", null],
    ["2023-02-29", null],
    ["01/02/2024", null],
    ["x", null],
    ["", null],
  ])("typed as %j are %j", (typed, wanted) => expect(readDay(typed)).toBe(wanted));

  it("of a market are those of all of its bars", () => {
    const both = market(
      ["1d", "2020-01-01T00:00:00Z", "2025-01-01T00:00:00Z"],
      ["1m", "2024-01-01T00:00:00Z", "2026-01-01T00:00:00Z"],
    );
    expect(daysOf(both)).toEqual({ first: "2020-01-01", last: "2026-01-01" });
    expect(daysOf(undefined)).toEqual({ first: "", last: "" });
    expect(hasDays(both, "2026-02-01", null)).toBe(false);
    expect(hasDays(both, null, "2019-12-31")).toBe(false);
    expect(hasDays(both, "2025-01-01", "2030-01-01")).toBe(true);
    expect(hasDays(market(), null, null)).toBe(false);
  });

  it("asked for often lie inside, every year once", () => {
    const day = fc
      .date({ min: new Date("2000-01-01"), max: new Date("2030-12-31"), noInvalidDate: true })
      .map((date) => date.toISOString().slice(0, 10));
    fc.assert(
      fc.property(day, day, (a, b) => {
        const [first, last] = a < b ? [a, b] : [b, a];
        for (const span of presetSpans(first, last)) {
          if (span.from) expect(span.from > first && span.from <= last).toBe(true);
          if (span.to) expect(span.to < last && span.to >= first).toBe(true);
        }
        const years = presetSpans(first, last)
          .slice(3)
          .map((span) => span.name);
        expect(years.at(-1)).toBe(last.slice(0, 4));
        expect(new Set(years).size).toBe(years.length);
      }),
    );
    expect(presetSpans("", "")).toEqual([]);
  });
});

describe("rules in the text", () => {
  const text = "a = 1\n  enter long when a\nstop 2\n";
  const row = (section: string, start: number, end: number) => ({ section, start, end }) as never;

  it("are written anew where they stand, and taken out with their line", () => {
    const start = text.indexOf("enter");
    const end = start + "enter long when a".length;
    expect(replaced(text, start, end, "enter short when a")).toBe("a = 1\n  enter short when a\nstop 2\n");
    expect(replaced(text, start, end, "")).toBe("a = 1\nstop 2\n");
    expect(replaced("x = 1 # keep\n", 0, 5, "")).toBe(" # keep\n");
  });

  it("are added below the last of their section, else below those before it, else at the end", () => {
    const entry = row("entries", 8, 25);
    const stop = row("protection", 26, 32);
    expect(added(text, entry, "enter short when b")).toBe("a = 1\n  enter long when a\nenter short when b\nstop 2\n");
    expect(added("a = 1\n\n\n", undefined, "stop 3")).toBe("a = 1\nstop 3\n");
    expect(placeFor([entry, stop], "exits")).toBe(entry);
    expect(placeFor([entry, stop], "size")).toBe(stop);
    expect(placeFor([stop], "entries")).toBeUndefined();
  });
});

describe("steps", () => {
  const step = (text: string, state: SetupState = {}) => ({ text, state });
  it.each([
    [step("a"), step("a", { market: "KELP" }), "market to KELP"],
    [step("a", { market: "KELP" }), step("a"), "market as at first"],
    [step("a", { inputs: { n: 3 } }), step("a", { inputs: { m: 4 } }), "n back to its default, m to 4"],
    [step("a"), step("a", { inverted: true }), "sides to exchanged"],
    [step("a\nb\nc"), step("a\nB  x\nc"), "line 2: B x"],
    [step("a\nc"), step("a\nb\nc"), "with b"],
    [step("a\nb\nc"), step("a\nc"), "without b"],
    [step("a\n"), step("a\n\n"), "the layout"],
    [step("1\n2\n3\n4"), step("5\n6\n7\n8"), "4 lines written anew"],
    [step("a"), step("a"), ""],
  ])("are told in words", (before, after, words) => expect(changeInWords(before, after)).toBe(words));
});

describe("what is kept in the browser", () => {
  it("a place is as it was left; a new tab knows the Workbench's last setup only", () => {
    rememberPlace("/", { market: "KELP" });
    rememberPlace("/trials", { face: "walk" });
    expect(placeAsLeft("/trials")).toEqual({ face: "walk" });
    sessionStorage.removeItem("skelb-place /");
    sessionStorage.removeItem("skelb-place /trials");
    expect(placeAsLeft("/")).toEqual({ market: "KELP" });
    expect(placeAsLeft("/trials")).toEqual({});
    sessionStorage.setItem("skelb-place /", "no JSON");
    expect(placeAsLeft("/")).toEqual({});
  });

  it("a draft is what differs from what was saved, by script and version", () => {
    keepDraft("A", 1, "typed", "saved");
    keepDraft("A", 2, "same", "same");
    expect(readDraft("A", 1)).toBe("typed");
    expect(readDraft("A", 2)).toBeNull();
    keepDraft("A", 1, "saved", "saved");
    expect(allDrafts()).toEqual([]);
  });

  it("other tabs' drafts are told, broken and old ones forgotten", () => {
    const put = (tab: string, text: unknown, at: number) =>
      localStorage.setItem(
        `skelb-draft ${JSON.stringify([tab, "A", 1])}`,
        JSON.stringify({ tab, title: "A", version: 1, text, at }),
      );
    put("other", "theirs", Date.now() - 1000);
    put("old", "long ago", Date.now() - 61 * 86_400_000);
    put("bad", 5, Date.now());
    localStorage.setItem("skelb-draft x", "{");
    keepDraft("A", 1, "mine", "");
    expect(draftsElsewhere("A").map((draft) => draft.text)).toEqual(["theirs"]);
    expect(allDrafts().map((draft) => draft.text)).toEqual(["mine", "theirs"]);
    expect(localStorage.getItem("skelb-draft x")).toBeNull();
    dropDraft({ tab: "other", title: "A", version: 1 });
    expect(draftsElsewhere("A")).toEqual([]);
  });

  it("a held value tells who listens, once for each change", () => {
    const held = new Held(1);
    let heard = 0;
    const leave = held.subscribe(() => (heard += 1));
    held.set(1);
    held.set(2);
    leave();
    held.set(3);
    expect([heard, held.get()]).toEqual([1, 3]);
  });
});

describe("markets", () => {
  it("cover a span, each its share", () => {
    const all = [
      market(["1d", "2020-01-01T00:00:00Z", "2021-01-01T00:00:00Z"]),
      market(["1d", "2022-01-01T00:00:00Z", "2024-01-01T00:00:00Z"]),
    ];
    const span = coverageSpan(all);
    const share = shareOf(all[1]!.bars[0]!, span);
    expect(share.left + share.width).toBeCloseTo(1);
    expect(shareOf(all[0]!.bars[0]!, span).left).toBe(0);
    expect(yearsIn(span).map((year) => year.label)).toEqual(["2020", "2021", "2022", "2023"]);
  });

  it("never print two years over each other", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 4e12 }), fc.integer({ min: 1, max: 4e12 }), (start, length) => {
        const found = yearsIn({ start, end: start + length });
        expect(found.length).toBeLessThanOrEqual(13);
        found.slice(1).forEach((year, place) => expect(year.at - found[place]!.at).toBeGreaterThan(0.04));
      }),
    );
  });

  it("leave to the defaults what is not filled in, and read decimal commas", () => {
    const blank = {
      symbol: "",
      title: "",
      tick: "0,25",
      point_value: " ",
      lot_step: "2",
      zone: "UTC",
      session: "s",
      days: "d",
      spread: "",
      pip: "",
    };
    expect(settingsOf(blank)).toEqual({ session: "s", days: "d", zone: "UTC", tick: 0.25, lot_step: 2, min_lot: 2 });
  });
});

describe("the guide", () => {
  const rows = [
    { id: "1", group: "A", title: "Average of highs", summary: "", also: "" },
    { id: "2", group: "B", title: "Other", summary: "the highs of an average", also: "" },
    { id: "3", group: "A", title: "Third", summary: "", also: "capital, long only" },
  ];
  it("reads the page from a link's address", () => {
    expect(linkedPage("/guide?page=howto/read-any-bar")).toBe("howto/read-any-bar");
  });
  it("groups in the order they come", () => {
    expect(grouped(rows).map(([group, found]) => [group, found.length])).toEqual([
      ["A", 2],
      ["B", 1],
    ]);
  });
});
