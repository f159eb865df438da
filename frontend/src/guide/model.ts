import type { GuideRow } from "@/api";

/** The pages that hold every word of a search, those with it in the title first. */
export function searched(rows: GuideRow[], search: string): GuideRow[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return rows;
  const has = (text: string) => words.every((word) => text.toLowerCase().includes(word));
  const inTitle = rows.filter((row) => has(row.title));
  return [
    ...inTitle,
    ...rows.filter((row) => !inTitle.includes(row) && has(`${row.title} ${row.group} ${row.summary} ${row.also}`)),
  ];
}

/** Rows under their groups, in the order they come. */
export function grouped(rows: GuideRow[]): [string, GuideRow[]][] {
  const found = new Map<string, GuideRow[]>();
  for (const row of rows) found.set(row.group, [...(found.get(row.group) ?? []), row]);
  return [...found];
}
