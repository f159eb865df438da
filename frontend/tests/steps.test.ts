import { describe, expect, it } from "vitest";
import type { Run, SetupState } from "@/api";
import { answered, type Steps } from "@/workbench/steps";

const figures = { net_profit: 10, trades: 3 } as Run["figures"]["all"];
const opened: SetupState = { market: "KELP", timeframe: "15m", account: "Dockside account" };
const slower: SetupState = { ...opened, inputs: { slow: 60 } };

/** Three steps, each a while after the other: as it was opened, an input, a rule off. */
function walked(): Steps {
  let found: Steps = { key: "k", steps: [], at: -1, goal: null };
  found = answered(found, "a", opened, figures, 0);
  found = answered(found, "a", slower, figures, 10_000);
  return answered(found, "b", slower, figures, 20_000);
}

/** As if a step was gone to, before its text and setup are in view. */
const goingTo = (steps: Steps, at: number): Steps => ({ ...steps, at, goal: steps.steps[at] ?? null });

describe("the steps of a strategy", () => {
  it("are one for each change, told by what was changed", () => {
    expect(walked().steps.map((step) => step.words)).toEqual(["as it was opened", "slow to 60", "line 1: b"]);
    const moved = answered(answered(walked(), "c", slower, figures, 30_000), "d", slower, figures, 30_500);
    expect(moved.steps.map((step) => step.words)).toEqual(["as it was opened", "slow to 60", "line 1: b", "line 1: d"]);
  });

  it("are gone to whatever answers on the way", () => {
    const onward = goingTo(walked(), 1);
    const late = answered(onward, "a", opened, figures, 40_000); // the step before, answered after the key
    expect(late).toBe(onward);
    expect(answered(late, "a", slower, figures, 40_100)).toEqual({ ...onward, goal: null });
    const further = goingTo(onward, 2);
    expect(answered(further, "b", opened, figures, 40_100)).toBe(further); // its text is in view before its setup
  });

  it("let something else that is tried on the way stand", () => {
    const tried = answered(goingTo(walked(), 0), "other", opened, figures, 40_000);
    expect([tried.steps.length, tried.at, tried.goal]).toEqual([2, 1, null]);
  });

  it("follow what the hand itself brings back", () => {
    expect(answered(walked(), "a", slower, figures, 30_000).at).toBe(1);
  });
});
