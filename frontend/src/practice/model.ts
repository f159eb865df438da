import type { BasketState, PracticeLine, PracticeShown, SetupState } from "@/api";

/** What the address holds: a practice in view, with which of its markets, or the setup of one that is being begun. */
export interface PracticeState extends SetupState, BasketState {
  practice?: number;
  begin?: boolean;
  /** The list of all: an address that says nothing means what was there last. */
  all?: boolean;
}

/** What the place of practices is given. */
export interface PracticeProps {
  state: PracticeState;
  /** What the Workbench has in view: a practice begins with it. */
  work: SetupState;
  onState: (state: PracticeState) => void;
  /** Go to where a kept run is judged whole. */
  onReport: (run: number) => void;
}

export const PACES = [
  { value: "60", label: "60 × real pace" },
  { value: "600", label: "600 × real pace" },
  { value: "3600", label: "3,600 × real pace" },
  { value: "36000", label: "36,000 × real pace" },
  { value: "0", label: "as quick as can be" },
];

export const FEEDS = [
  { value: "replay", label: "a replay of stored bars" },
  { value: "made", label: "made bars that go on" },
  { value: "file", label: "a file that grows" },
  { value: "address", label: "an address" },
] as const;

export type FeedKind = (typeof FEEDS)[number]["value"];

/** The decimals of a price on a tick grid. */
export const digitsOf = (tick: number) => (/\.(\d+)/.exec(String(tick))?.[1] ?? "").length;

/** What a practice is on, in words. */
export const placeText = ({ markets }: PracticeLine) =>
  markets.length > 1 ? `a basket of ${markets.length} markets` : (markets[0] ?? "");

export const STATES: Record<string, string> = {
  running: "following",
  paused: "paused",
  stopped: "stopped",
  failed: "failed",
};

/** The kinds of what happened, each with a sign of its own. */
export const SIGNS: Record<string, { sign: string; tone: string }> = {
  alert: { sign: "⚑", tone: "text-base-content" },
  enter: { sign: "▸", tone: "text-long" },
  exit: { sign: "◂", tone: "text-soft" },
  "held back": { sign: "‖", tone: "text-brass" },
  feed: { sign: "!", tone: "text-loss" },
  drift: { sign: "≠", tone: "text-loss" },
};

export const BANDS: Record<string, { name: string; unit: string; digits: number; meaning: string }> = {
  trades_a_week: {
    name: "Trades a week",
    unit: "",
    digits: 2,
    meaning: "Trades that ended, by the weeks of practice.",
  },
  average_trade: { name: "Average trade", unit: "", digits: 0, meaning: "After all costs, the account's currency." },
  win_rate: { name: "Win rate", unit: " %", digits: 1, meaning: "Trades that made money after costs." },
  slippage_a_side: {
    name: "Slippage a side",
    unit: " ticks",
    digits: 2,
    meaning:
      "How much worse fills were than the price known before: at an open against the close before it, else against the market's price. Spread counts; negative where a gap helped.",
  },
};

interface Staff {
  x: number;
  bar: number;
  first: number;
  last: number;
  isFeed: boolean;
  texts: string[];
}

/** Pennants as there is room for them: those that would stand on each other are one, with the numbers of all. */
export function staffs(shown: PracticeShown, x: (bar: number) => number, width: number): Staff[] {
  const numbers = pennants(shown);
  const found: Staff[] = [];
  for (const event of [...shown.events].reverse()) {
    if (event.bar === null) continue;
    const number = numbers.get(event.id) ?? 0;
    const before = found.at(-1);
    const isFeed = event.kind === "feed";
    if (before && x(event.bar) - before.x < width) {
      before.last = number;
      before.isFeed ||= isFeed;
      before.texts.push(event.text);
    } else {
      found.push({ x: x(event.bar), bar: event.bar, first: number, last: number, isFeed, texts: [event.text] });
    }
  }
  return found;
}

/** The events that stand in the picture, numbered as their pennants are: the oldest of them 1. */
export function pennants(shown: PracticeShown): Map<number, number> {
  const inView = shown.events.filter((event) => event.bar !== null).reverse();
  return new Map(inView.map((event, place) => [event.id, place + 1]));
}
