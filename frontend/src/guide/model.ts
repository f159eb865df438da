import type { GuideRow } from "@/api";

/** Rows under their groups, in the order they come. */
export function grouped(rows: GuideRow[]): [string, GuideRow[]][] {
  const found = new Map<string, GuideRow[]>();
  for (const row of rows) found.set(row.group, [...(found.get(row.group) ?? []), row]);
  return [...found];
}

/** The page that a link within the guide leads to. */
export function linkedPage(address: string): string {
  return new URLSearchParams(address.slice(address.indexOf("?"))).get("page") ?? address;
}
