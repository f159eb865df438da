import { allDrafts, keepDraft } from "./drafts";

const TITLE = /^\s*title\s+"((?:\\.|[^"\\])*)"/m;

/** A title like the wanted one that is not taken yet: itself, else with a number behind. */
export function freshTitle(wanted: string, taken: ReadonlySet<string>): string {
  let title = wanted;
  for (let number = 2; taken.has(title); number++) title = `${wanted} ${number}`;
  return title;
}

/** An example as a script of one's own: under its title, or what its page is called, as far as that is not taken. */
export function ownScript(example: string, page: string, taken: ReadonlySet<string>): { title: string; text: string } {
  const found = TITLE.exec(example);
  const title = freshTitle((found?.[1] ?? page).replaceAll('\\"', '"'), taken);
  const line = `title "${title.replaceAll('"', '\\"')}"`;
  return { title, text: found ? example.replace(TITLE, () => line) : `${line}\n\n${example}` };
}

/** Begin a script of one's own from an example, and say its title; it is stored with its first save. One that was begun
 * from it before and is as it was then is taken up again. */
export function beginFrom(example: string, page: string, titles: readonly string[]): string {
  const unsaved = allDrafts().filter((draft) => draft.version === 0 && !titles.includes(draft.title));
  const first = ownScript(example, page, new Set(titles));
  if (unsaved.some((draft) => draft.text === first.text)) return first.title;
  const own = ownScript(example, page, new Set([...titles, ...unsaved.map((draft) => draft.title)]));
  keepDraft(own.title, 0, own.text, "");
  return own.title;
}
