import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { accountInShort, changedTerms, costsInWords, freeName, PLAIN, termsInWords, withTerms } from "@/setup/account";
import { costsOfLast } from "@/workbench/trades/model";

const keys = ["capital", "slippage_ticks", "leverage", "stop_out"] as const;

describe("the terms of an account", () => {
  it("are its changes and nothing else, in whatever order they were made and undone", () => {
    const moves = fc.array(fc.tuple(fc.constantFrom(...keys), fc.integer({ min: 0, max: 3 })), { maxLength: 20 });
    fc.assert(
      fc.property(moves, (made) => {
        let terms: ReturnType<typeof changedTerms>;
        const wanted = { ...PLAIN };
        for (const [key, value] of made) {
          terms = changedTerms(PLAIN, terms, key, value);
          wanted[key] = value;
        }
        expect(withTerms(PLAIN, terms)).toEqual(wanted);
        for (const [key, value] of Object.entries(terms ?? {})) expect(value).not.toBe(PLAIN[key as "capital"]);
        if (keys.every((key) => wanted[key] === PLAIN[key])) expect(terms).toBeUndefined();
      }),
    );
  });

  it("are told with what they were", () => {
    expect(termsInWords(PLAIN, undefined)).toBe("");
    expect(termsInWords(PLAIN, { slippage_ticks: 2, currency: "crowns" })).toBe(
      "0 → 2 ticks of slippage, none → crowns currency",
    );
    expect(termsInWords({ ...PLAIN, max_open_total: 2 }, { max_open_total: null })).toBe("2 → none most positions");
  });

  it("of an account that is not there are those of a plain one", () => {
    expect(withTerms(undefined, { capital: 5 })).toEqual({ ...PLAIN, capital: 5 });
  });
});

describe("an account in a line", () => {
  it.each([
    [{}, "begins with 10,000; no costs"],
    [{ currency: "crowns", leverage: 3 }, "begins with 10,000 crowns; holds 3 ×; no costs"],
    [
      { commission_percent: 0.05, commission_per_order: 2, slippage_ticks: 1 },
      "begins with 10,000; 0.05 %; 2 an order; slips 1",
    ],
  ])("%j", (more, said) => expect(accountInShort({ ...PLAIN, ...more })).toBe(said));

  it("is called what no other is", () => {
    expect(freeName("Mine", [])).toBe("Mine");
    expect(freeName("Mine", ["Mine", "Mine 2"])).toBe("Mine 3");
  });
});

describe("costs", () => {
  it.each([
    [undefined, ""],
    [1, ""],
    [0, "without costs"],
    [2, "costs × 2"],
  ])("taken %d times are said as %j", (times, said) => expect(costsInWords(times)).toBe(said));

  it("of the last trade add up", () => {
    const trades = {
      first_number: 8,
      net: [1, 2],
      units: [1, 3],
      commission: [0, 2],
      spread: [0, 1.5],
      slippage: [0, 0],
      financing: [0, 0],
    };
    expect(costsOfLast(trades as never)).toBe(
      "The last trade, 9, of 3 units, cost 3.50: commission 2.00, spread 1.50.",
    );
    expect(costsOfLast({ ...trades, commission: [0, 0], spread: [0, 0] } as never)).toBe(
      "The last trade, 9, cost nothing.",
    );
    expect(costsOfLast({ ...trades, net: [] } as never)).toBeNull();
  });
});
