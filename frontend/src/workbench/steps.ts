import { useEffect, useRef, useState } from "react";
import type { Run, RunAnswer, SetupState } from "@/api";

/** How the strategy was at one time: its text, its setup, what it earned, and what was changed to come there. */
export interface Step {
  text: string;
  state: SetupState;
  words: string;
  net: number | null;
  trades: number | null;
  at: number;
}

type Figures = Run["figures"]["all"];

const MOST_STEPS = 200;
const TOGETHER_MS = 1500;

/** What was changed between two steps, in a few words. */
export function changeInWords(
  before: { text: string; state: SetupState },
  after: { text: string; state: SetupState },
): string {
  const words: string[] = [];
  const names = new Set([...Object.keys(before.state.inputs ?? {}), ...Object.keys(after.state.inputs ?? {})]);
  for (const name of names) {
    const [old, next] = [before.state.inputs?.[name], after.state.inputs?.[name]];
    if (old !== next) words.push(`${name} ${next === undefined ? "back to its default" : `to ${String(next)}`}`);
  }
  if (JSON.stringify(before.state.terms) !== JSON.stringify(after.state.terms)) words.push("terms of the account");
  const parts: [string, string | undefined, string | undefined][] = [
    ["market", before.state.market, after.state.market],
    ["timeframe", before.state.timeframe, after.state.timeframe],
    ["from", before.state.from, after.state.from],
    ["to", before.state.to, after.state.to],
    ["account", before.state.account, after.state.account],
    ["costs ×", before.state.costs?.toString(), after.state.costs?.toString()],
    [
      "sides",
      before.state.inverted ? "exchanged" : before.state.sides,
      after.state.inverted ? "exchanged" : after.state.sides,
    ],
  ];
  for (const [name, old, next] of parts)
    if (old !== next) words.push(`${name} ${next === undefined ? "as at first" : `to ${next}`}`);
  if (before.text !== after.text) words.push(textInWords(before.text, after.text));
  return words.join(", ");
}

function textInWords(before: string, after: string): string {
  const [old, next] = [before.split("\n"), after.split("\n")];
  let first = 0;
  while (first < old.length && first < next.length && old[first] === next[first]) first++;
  let tail = 0;
  while (
    tail < old.length - first &&
    tail < next.length - first &&
    old[old.length - 1 - tail] === next[next.length - 1 - tail]
  )
    tail++;
  const gone = old.slice(first, old.length - tail).filter((line) => line.trim());
  const come = next.slice(first, next.length - tail).filter((line) => line.trim());
  const short = (line: string | undefined) => (line ?? "").trim().replace(/\s+/g, " ").slice(0, 60);
  if (come.length === 0) return gone.length === 0 ? "the layout" : `without ${short(gone[0])}`;
  if (gone.length === 0) return `with ${short(come[0])}`;
  if (come.length + gone.length > 6) return `${come.length} lines written anew`;
  return `line ${first + 1}: ${short(come[0])}`;
}

/** What of a state makes a run what it is. */
const setupIn = ({ market, timeframe, from, to, account, sides, inverted, inputs, terms, costs }: SetupState) =>
  JSON.stringify({ market, timeframe, from, to, account, sides, inverted, inputs, terms, costs });
const sameSetup = (a: Step, text: string, state: SetupState) => a.text === text && setupIn(a.state) === setupIn(state);

/** The steps a strategy went through, where it stands among them, and the step it goes to but has not come to. */
export interface Steps {
  key: string;
  steps: Step[];
  at: number;
  goal: Step | null;
}

const noSteps = (key: string): Steps => ({ key, steps: [], at: -1, goal: null });

/** Where a strategy stands once a text with its setup has been answered. */
export function answered(before: Steps, text: string, state: SetupState, figures: Figures, now: number): Steps {
  const { key, steps, at, goal } = before;
  const place = steps.findIndex((step) => sameSetup(step, text, state));
  // Text and setup follow a step gone to one after the other: what is answered of before, or between, leads nowhere.
  const isOnTheWay =
    steps.some((step) => step.text === text) && steps.some((step) => setupIn(step.state) === setupIn(state));
  if (goal && isOnTheWay && !sameSetup(goal, text, state)) return before;
  const here = steps[at];
  if (here && sameSetup(here, text, state)) return goal ? { ...before, goal: null } : before;
  if (place >= 0 && Math.abs(place - at) === 1) return { key, steps, at: place, goal: null };
  const step: Step = {
    text,
    state,
    words: here ? changeInWords(here, { text, state }) : "as it was opened",
    net: figures.net_profit ?? null,
    trades: figures.trades ?? null,
    at: now,
  };
  // Dragging and typing are one step while they go on; what was undone before is forgotten now.
  const earlier = steps[at - 1];
  const isOneMove =
    here !== undefined && earlier !== undefined && at === steps.length - 1 && step.at - here.at < TOGETHER_MS;
  const base = isOneMove ? steps.slice(0, at) : steps.slice(0, at + 1);
  const joined = isOneMove ? { ...step, words: changeInWords(earlier, step) || step.words } : step;
  const all = [...base, joined].slice(-MOST_STEPS);
  return { key, steps: all, at: all.length - 1, goal: null };
}

/** The steps a strategy went through since it was opened, and where it stands; going back forgets nothing until something else is tried. */
export function useSteps(
  key: string,
  text: string | null,
  state: SetupState,
  answer: RunAnswer | null,
  isWaiting: boolean,
  onTake: (step: Step) => void,
) {
  const [kept, setKept] = useState<Steps>(noSteps(""));
  const own = kept.key === key ? kept : noSteps(key);
  useEffect(() => {
    if (isWaiting || text === null || !answer?.run || !key) return;
    const figures = answer.run.figures.all;
    setKept((before) => answered(before.key === key ? before : noSteps(key), text, state, figures, Date.now()));
    // The answer belongs to this very text and state once nothing is waited for.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [answer, isWaiting, key]);
  // A key that comes before the page has drawn the one before it goes on from where that led.
  const latest = useRef(own);
  useEffect(() => {
    latest.current = own;
  });
  const go = (to: number) => {
    const step = latest.current.steps[to];
    if (!step) return;
    latest.current = { ...latest.current, at: to, goal: step };
    setKept(latest.current);
    onTake(step);
  };
  const undo = () => go(latest.current.at - 1);
  const redo = () => go(latest.current.at + 1);
  return { steps: own.steps, at: own.at, go, undo, redo };
}
