/** The steps of the first voyage: from bars to a judged strategy and its doubt. Each is done when it was really done. */

export const VOYAGE_MARKET = "BRIN";
export const VOYAGE_TIMEFRAME = "1h";
export const VOYAGE_TITLE = "First voyage";

/** What a step looks at. */
export interface Facts {
  market: string;
  timeframe: string;
  /** Whether the script in view is the one that is made on the voyage. */
  isOwn: boolean;
  text: string;
  /** Whether the run in view is of the text in view. */
  isOfView: boolean;
  lines: number;
  lanes: number;
  longs: number;
  shorts: number;
  isHeld: boolean;
  isFiguresOpen: boolean;
  /** What other places said was done. */
  told: readonly string[];
}

export interface Step {
  /** Why, in a sentence or two. */
  why: string;
  /** What to do. */
  todo: string;
  /** Lines to write, where there are some. */
  lines?: string;
  isDone: (facts: Facts) => boolean;
}

const says = (text: string, rule: RegExp) => text.split("\n").some((line) => rule.test(line));

/** In the order of `VOYAGE`, which names them. */
export const STEPS: readonly Step[] = [
  {
    why: "A market's history is a row of bars: the first, highest, lowest and last price of an hour, say.",
    todo: `In the sentence at the top choose the market ${VOYAGE_MARKET} at ${VOYAGE_TIMEFRAME}.`,
    isDone: ({ market, timeframe }) => market === VOYAGE_MARKET && timeframe === VOYAGE_TIMEFRAME,
  },
  {
    why: "A script names numbers. `prior` is the bar before, so this is the highest price of the forty bars before each bar: known when it is needed.",
    todo: "Begin a script, and write under its title:",
    lines: "top = prior(highest(high, 40))\ndraw top",
    isDone: ({ isOwn, isOfView, lines, text }) => isOwn && isOfView && lines > 0 && says(text, /^\s*draw\b/),
  },
  {
    why: "A condition is yes or no on every bar. Named, it gets a lane under the chart, filled where it is yes.",
    todo: "Write below:",
    lines: "rises = close > top",
    isDone: ({ isOwn, isOfView, lanes }) => isOwn && isOfView && lanes > 0,
  },
  {
    why: "Nothing is hidden: every line says at its end what it was worth on the bar that is held.",
    todo: "Click a bar in the chart (or h on it), best one where the lane is filled, and read the text.",
    isDone: ({ isOwn, isHeld }) => isOwn && isHeld,
  },
  {
    why: "A rule is judged at a bar's close and fills at the next bar's open: it cannot see what comes.",
    todo: "Write the first rule:",
    lines: "enter long when rises",
    isDone: ({ isOwn, isOfView, longs, text }) => isOwn && isOfView && longs > 0 && says(text, /^\s*enter long\b/),
  },
  {
    why: "Without a way out one holds to the end. This one leaves under the lowest price of the twenty bars before.",
    todo: "Write the way out:",
    lines: "exit long when close < prior(lowest(low, 20))",
    isDone: ({ isOwn, isOfView, longs, text }) => isOwn && isOfView && longs > 1 && says(text, /^\s*exit\b/),
  },
  {
    why: "The stop is there from the moment of the fill, and the size follows from it: one in a hundred of the money at risk.",
    todo: "Write what protects:",
    lines: "stop 3 * atr(20)\nsize risk 1% of equity",
    isDone: ({ isOwn, isOfView, longs, text }) =>
      isOwn && isOfView && longs > 0 && says(text, /^\s*stop\b/) && says(text, /^\s*size\s+risk\b/),
  },
  {
    why: "What rises may fall. The short side is the mirror of the long one, and its trades are told apart.",
    todo: "Write the mirror:",
    lines: "enter short when close < prior(lowest(low, 40))\nexit short when close > prior(highest(high, 20))",
    isDone: ({ isOwn, isOfView, longs, shorts }) => isOwn && isOfView && longs > 0 && shorts > 0,
  },
  {
    why: "Net is after all costs. Look at how many trades there were, at the deepest fall, at each side by itself, and at the findings.",
    todo: "Press “all figures” in the line above (Alt G).",
    isDone: ({ isOwn, isFiguresOpen }) => isOwn && isFiguresOpen,
  },
  {
    why: "A result is a claim. It is run with three times the costs, a bar later, and held at other times, a thousand times over.",
    todo: "Press “Doubt” (the text is saved first), and wait for its verdict there.",
    isDone: ({ isOwn, told }) => isOwn && told.includes("doubted"),
  },
];
