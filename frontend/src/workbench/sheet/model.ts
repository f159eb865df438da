import type { RuleExample, SheetRow } from "@/api";

export type Section = "entries" | "exits" | "protection" | "windows" | "size";

/** The sections of the plan in the order in which a trade meets them, and which worked examples belong to each. */
export const SECTIONS: { section: Section; name: string; none: string; examples: string[] }[] = [
  {
    section: "entries",
    name: "Entries",
    none: "Nothing enters yet: write `enter long when …`, or make rules from the conditions.",
    examples: [],
  },
  {
    section: "exits",
    name: "Exits",
    none: "Only protection and the end of the data close a position.",
    examples: ["exit"],
  },
  {
    section: "protection",
    name: "Protection",
    none: "No stop and no target: a position can lose without end.",
    examples: ["stop", "target"],
  },
  { section: "windows", name: "When entries are allowed", none: "At any time.", examples: ["window"] },
  { section: "size", name: "How much", none: "No `size`: all of the equity, by default.", examples: ["size"] },
];

/** The text with a stretch of it written anew; an emptied line is taken out. */
export function replaced(text: string, start: number, end: number, by: string): string {
  if (by !== "") return text.slice(0, start) + by + text.slice(end);
  const before = text.slice(0, start).replace(/[ \t]+$/, "");
  const after = text.slice(end);
  return after.startsWith("\n") && (before === "" || before.endsWith("\n")) ? before + after.slice(1) : before + after;
}

/** The text with a new rule below a row, or at its end. */
export function added(text: string, below: SheetRow | undefined, rule: string): string {
  if (!below) return `${text.replace(/\n*$/, "")}\n${rule}\n`;
  const end = text.indexOf("\n", below.end);
  const at = end < 0 ? text.length : end;
  return `${text.slice(0, at)}\n${rule}${text.slice(at)}`;
}

/** The row after which a new rule of a section belongs: the last of that section, else the last of those before it. */
export function placeFor(rows: SheetRow[], section: Section): SheetRow | undefined {
  const order = SECTIONS.map((item) => item.section);
  const upTo = order.indexOf(section);
  const fitting = rows.filter((row) => order.indexOf(row.section as Section) <= upTo);
  return fitting.filter((row) => row.section === section).at(-1) ?? fitting.at(-1);
}

export function examplesFor(examples: RuleExample[], kinds: string[]): RuleExample[] {
  return examples.filter((example) => kinds.includes(example.section));
}
