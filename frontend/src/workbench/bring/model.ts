import type { Brought, Setup } from "@/api";

export type Answers = Record<string, number>;
export type Question = Brought["questions"][number];
export type Line = Brought["lines"][number];
export type State = Line["state"];

/** The places of the questions that nobody has answered, those first that are counted for. */
export function openQuestions(brought: Brought, answers: Answers): Question[] {
  return brought.questions.filter((question) => !(question.id in answers));
}

/** What holds at present, said for every question: the same script has the same answers. */
export function whole(brought: Brought, changed: Answers = {}): Answers {
  return { ...Object.fromEntries(brought.questions.map((question) => [question.id, question.chosen])), ...changed };
}

/** The lines of what was pasted, as far as something stands in them. */
export const linesOf = (pasted: string) => pasted.trimEnd().split("\n");

/** Where the text runs: the setup in view, without what belongs to the script in view. */
export function placeOf(setup: Setup): Setup {
  return { ...setup, text: "", inputs: {} };
}

/** The questions that stand under each line of the script, by its place; those of a line that left nothing stand under the one before. */
export function questionsUnder(brought: Brought): Map<number, Question[]> {
  const found = new Map<number, Question[]>();
  for (const question of brought.questions) {
    let under = -1;
    brought.lines.forEach((line, place) => {
      if (line.source > 0 && line.source <= question.line) under = Math.max(under, place);
    });
    found.set(under, [...(found.get(under) ?? []), question]);
  }
  return found;
}

/** What became of every line of the pasted text; null for one that says nothing. */
export function statesOf(brought: Brought, count: number): (State | null)[] {
  const found: (State | null)[] = Array.from({ length: count }, () => null);
  for (const line of brought.lines) {
    const before = found[line.source - 1];
    if (line.source > 0 && before !== "left" && (before !== "asked" || line.state === "left"))
      found[line.source - 1] = line.state;
  }
  return found;
}

/** What could not be said, as it stands in the script. */
export function leftText(brought: Brought): string {
  return brought.lines
    .filter((line) => line.state === "left")
    .map((line) => line.text)
    .join("\n");
}

/** How many of a thing. */
export const counted = (count: number, one: string, many = `${one}s`) =>
  `${count.toLocaleString("en")} ${count === 1 ? one : many}`;
