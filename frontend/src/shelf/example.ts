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
