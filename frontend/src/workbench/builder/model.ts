import type { Condition, RuleExample, SetupState } from "@/api";

/** Where a condition is used. */
export type Slot = "goLong" | "leaveLong" | "goShort" | "leaveShort" | "notWhen";
export type Joiner = "and" | "or" | "then";

export const SLOTS: { slot: Slot; name: string; press: string; tone: string }[] = [
  { slot: "goLong", name: "Go long", press: "go long", tone: "long" },
  { slot: "leaveLong", name: "Leave the long", press: "leave long", tone: "long" },
  { slot: "goShort", name: "Go short", press: "go short", tone: "short" },
  { slot: "leaveShort", name: "Leave the short", press: "leave short", tone: "short" },
  { slot: "notWhen", name: "Never enter when", press: "not when", tone: "ink" },
];

/** A script whose conditions are at hand: `alias` null when its own text is what the strategy begins with. */
export interface Source {
  title: string;
  alias: string | null;
  conditions: Condition[];
  /** Why it cannot be read on this market. */
  problem?: string;
}

/** What has been chosen so far. */
export interface PlanDraft {
  title: string;
  chosen: Record<Slot, string[]>;
  joiners: Record<Slot, Joiner>;
  thenBars: number;
  isMirrored: boolean;
  opposite: "reverse" | "exit" | "ignore";
  rules: string[];
}

export function emptyDraft(title: string): PlanDraft {
  const none = { goLong: [], leaveLong: [], goShort: [], leaveShort: [], notWhen: [] };
  return {
    title,
    chosen: none,
    joiners: { goLong: "and", leaveLong: "or", goShort: "and", leaveShort: "or", notWhen: "or" },
    thenBars: 10,
    isMirrored: false,
    opposite: "reverse",
    rules: [],
  };
}

/** How a condition is written in the strategy; null when it cannot be reached from another script. */
export function writtenAs(condition: Condition, alias: string | null): string | null {
  if (alias === null) return condition.text;
  return condition.used?.replaceAll("{}", alias) ?? null;
}

/** A title not taken yet. */
export function freeTitle(wanted: string, taken: string[]): string {
  if (!taken.includes(wanted)) return wanted;
  for (let number = 2; ; number++) if (!taken.includes(`${wanted} ${number}`)) return `${wanted} ${number}`;
}

/** A short name for a used script that is neither built in, nor taken, nor a word of the text. */
export function aliasFor(title: string, text: string, taken: string[]): string {
  const word = title.toLowerCase().match(/[a-z]+/)?.[0] ?? "other";
  const isTaken = (name: string) => taken.includes(name) || new RegExp(`\\b${name}\\b`).test(text);
  let name = word;
  for (let number = 2; isTaken(name); number++) name = `${word}_${number}`;
  return name;
}

function joined(parts: string[], joiner: Joiner, bars: number): string {
  const wrapped = parts.map((part) => (parts.length > 1 && / (and|or|then) /.test(part) ? `(${part})` : part));
  if (joiner === "then" && parts.length > 1) return `${wrapped.join(" then ")} no later than ${bars} bars`;
  return wrapped.join(`\n    ${joiner} `);
}

function whenOf(draft: PlanDraft, slot: Slot): string {
  const own = draft.chosen[slot];
  const never = draft.chosen.notWhen;
  const wanted = joined(own, draft.joiners[slot], draft.thenBars);
  if (never.length === 0 || (slot !== "goLong" && slot !== "goShort")) return wanted;
  const isSimple = own.length === 1 || draft.joiners[slot] === "and";
  const inner =
    never.length === 1 && /^[\w.]+$/.test(never[0]!) ? never[0]! : `(${never.join(` ${draft.joiners.notWhen} `)})`;
  return `${isSimple && !(own.length === 1 && / (or|then) /.test(wanted)) ? wanted : `(${wanted})`}\n    and not ${inner}`;
}

/** The strategy in two parts: what it begins with, and its rules; `mirror` are the lines of the short side. */
export function strategyText(
  draft: PlanDraft,
  base: string,
  uses: Source[],
  mirror: string[],
): { indicator: string; rules: string } {
  const title = `title ${JSON.stringify(draft.title)}`;
  const body = /^title\b.*$/m.test(base) ? base.replace(/^title\b.*$/m, title) : `${title}\n${base}`;
  const used = uses.map((source) => `use ${JSON.stringify(source.title)} as ${source.alias}`);
  const rules: string[] = [];
  const add = (slot: Slot, words: string) => {
    if (draft.chosen[slot].length > 0) rules.push(`${words} when ${whenOf(draft, slot)}`);
  };
  add("goLong", "enter long");
  add("leaveLong", "exit long");
  if (draft.isMirrored) rules.push(...mirror);
  else {
    add("goShort", "enter short");
    add("leaveShort", "exit short");
  }
  const isBoth = draft.isMirrored || (draft.chosen.goLong.length > 0 && draft.chosen.goShort.length > 0);
  if (isBoth && draft.opposite !== "reverse") rules.push(`opposite ${draft.opposite}`);
  const [head, ...rest] = body.replace(/\n*$/, "").split("\n");
  const top = used.length > 0 ? [head, ...used, ...rest] : [head, ...rest];
  return {
    indicator: `${top.join("\n")}\n\n`,
    rules: [rules.join("\n"), draft.rules.join("\n")].filter((part) => part).join("\n\n") + "\n",
  };
}

/** The worked examples of the plan's parts. */
export const PARTS: { section: string; name: string }[] = [
  { section: "stop", name: "Stop" },
  { section: "target", name: "Target, trail and time" },
  { section: "window", name: "When entries are allowed" },
  { section: "size", name: "How much" },
];

export function toggled(list: string[], item: string): string[] {
  return list.includes(item) ? list.filter((other) => other !== item) : [...list, item];
}

/** Rules with one example pressed: of how much, only one stands. */
export function withRule(rules: string[], pressed: RuleExample, examples: RuleExample[]): string[] {
  if (rules.includes(pressed.text)) return rules.filter((rule) => rule !== pressed.text);
  const rivals =
    pressed.section === "size" || pressed.section === "stop"
      ? examples.filter((other) => other.section === pressed.section).map((other) => other.text)
      : [];
  return [...rules.filter((rule) => !rivals.includes(rule)), pressed.text];
}

/** The setup that opens the new strategy where it was built. */
export function openedState(state: SetupState, title: string): SetupState {
  return { ...state, script: title, version: undefined, inputs: undefined };
}
