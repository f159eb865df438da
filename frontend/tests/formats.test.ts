import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { FigureInfo } from "@/api";
import {
  agoText,
  amountText,
  dateText,
  difference,
  durationText,
  figureText,
  moneyText,
  moneyTone,
  plain,
  signed,
  timeText,
} from "@/ui/format";
import { passes } from "@/ui/passMarks";

const info = (unit: string, more: Partial<FigureInfo> = {}): FigureInfo => ({
  key: "x",
  unit,
  name: "",
  meaning: "",
  higher_is_better: true,
  group: "result",
  ...more,
});
const back = (text: string) => Number(text.replaceAll(",", "").replace("−", "-").replace("+", ""));

describe("numbers", () => {
  it("read back to what they were, rounded, with a true minus", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -1e12, max: 1e12, noNaN: true }),
        fc.integer({ min: 0, max: 6 }),
        (value, digits) => {
          const text = plain(value, digits);
          expect(Math.abs(back(text) - value)).toBeLessThanOrEqual(0.5000001 * 10 ** -digits + Math.abs(value) * 1e-12);
          expect(text).not.toContain("-");
          if (back(text) === 0) expect(text).toMatch(/^[0.]+$/);
        },
      ),
    );
  });

  it.each([
    [0, 2, "0.00"],
    [-0.001, 2, "0.00"],
    [0.001, 2, "0.00"],
    [1234567.891, 1, "+1,234,567.9"],
    [-12, 0, "−12"],
  ])("signed %d with %d digits is %s", (value, digits, text) => expect(signed(value, digits)).toBe(text));
});

describe("money", () => {
  it.each([
    [0, "0"],
    [5651.4, "+5,651"],
    [-9.99, "−9.99"],
    [9.996, "+10"],
    [0.0123, "+0.01"],
    [-0.000456, "−0.00046"],
  ])("%d is told as %s", (value, text) => expect(moneyText(value)).toBe(text));

  it("never shows something as nothing", () => {
    fc.assert(
      fc.property(fc.double({ min: 1e-7, max: 1e9, noNaN: true }), (value) => {
        expect(back(moneyText(value))).toBeGreaterThan(0);
        expect(moneyText(-value)).toBe(moneyText(value).replace("+", "−"));
        expect(amountText(value)).toBe(moneyText(value).slice(1));
      }),
    );
  });

  it("has a tone unless it is nothing", () => {
    expect([1, -1, 0, null, undefined].map(moneyTone)).toEqual(["text-gain", "text-loss", "", "", ""]);
  });
});

describe("figures", () => {
  it.each([
    [info("money", { key: "net_profit" }), 12.4, "+12"],
    [info("money"), 12.4, "12"],
    [info("fraction", { key: "return" }), 0.125, "+12.5 %"],
    [info("fraction"), 0.125, "12.5 %"],
    [info("percent"), 12.34, "12.3 %"],
    [info("count"), 1200, "1,200"],
    [info("bars"), 3.25, "3.3 bars"],
    [info("R"), -1.5, "−1.50 R"],
    [info("ratio"), 1.004, "1.00"],
  ])("are shown in their unit", (figure, value, text) => expect(figureText(figure, value)).toBe(text));

  it("are a dash where they are unknown, and differ from nothing there", () => {
    expect(figureText(info("money"), null)).toBe("–");
    expect(difference(info("money"), 3, null)).toBeNull();
    expect(difference(info("money"), undefined, 3)).toBeNull();
  });

  it("say what a change is worth", () => {
    expect(difference(info("money"), 110, 100)).toEqual({ text: "(+10)", better: true });
    expect(difference(info("money", { higher_is_better: false }), 110, 100)).toEqual({ text: "(+10)", better: false });
    expect(difference(info("count", { higher_is_better: null }), 3, 5)).toEqual({ text: "(−2)", better: null });
    expect(difference(info("fraction"), 0.5, 0.4)).toEqual({ text: "(+10.0)", better: true });
    expect(difference(info("ratio"), 1, 1)!.better).toBeNull();
  });

  it("pass their marks, and without a value never", () => {
    expect(passes(undefined, 5)).toBeNull();
    expect(passes({ way: "least", value: 5 }, 5)).toBe(true);
    expect(passes({ way: "most", value: 5 }, 5.1)).toBe(false);
    expect(passes({ way: "most", value: 5 }, null)).toBe(false);
  });
});

describe("times", () => {
  it("are told in the market's zone", () => {
    const moment = Date.UTC(2024, 8, 1, 22, 5) / 1000;
    expect(timeText(moment, "UTC", "full")).toBe("1 Sep 2024 22:05");
    expect(timeText(moment, "Europe/Helsinki", "full")).toBe("2 Sep 2024 01:05");
    expect(timeText(moment, "UTC", "time")).toBe("22:05");
    expect(timeText(moment, "UTC", "date")).toBe("1 Sep 24");
    expect(dateText("2024-01-31")).toBe("31 Jan 2024");
  });

  it.each([
    [0, "0 s ago"],
    [89_000, "89 s ago"],
    [91_000, "2 min ago"],
    [7_200_000, "2 h ago"],
  ])("%d ms were %s", (ms, text) => expect(agoText(ms)).toBe(text));

  it.each([
    [0.4, "under a second"],
    [89, "89 s"],
    [600, "10 min"],
    [9_000, "2.5 h"],
  ])("%d seconds are %s", (seconds, text) => expect(durationText(seconds)).toBe(text));
});
