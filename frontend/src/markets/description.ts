import type { Market } from "@/api";

/** What is changed of a market's description and not saved, by key of its JSON. */
export type Settings = Market["settings"];
export type Changes = Partial<Settings>;

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** The changes with one more; what is as it is stored is none. */
export function changedTo<K extends keyof Settings>(
  stored: Settings,
  changes: Changes,
  key: K,
  value: Settings[K],
): Changes {
  const others = Object.fromEntries(Object.entries(changes).filter(([name]) => name !== key));
  return same(value, stored[key]) ? others : { ...others, [key]: value };
}

const said = (value: Settings[keyof Settings]): string => {
  if (value === null || value === undefined || value === "") return "none";
  if (Array.isArray(value)) return "by the hour";
  return typeof value === "object" ? "its own" : String(value);
};

/** What is changed, in words. */
export function changesInWords(stored: Settings, changes: Changes): string {
  return Object.entries(changes)
    .map(([key, value]) => {
      const [before, hours] = [stored[key as keyof Settings], value];
      if (Array.isArray(before) && Array.isArray(hours)) {
        const other = hours.flatMap((spread, hour) => (spread === before[hour] ? [] : [hour]));
        return `spread at ${other.map((hour) => `${String(hour).padStart(2, "0")}:00`).join(", ")}`;
      }
      return `${key.replaceAll("_", " ")} ${said(before)} → ${said(value)}`;
    })
    .join(", ");
}

/** Spreads of all hours with one of them at another value, to a hundredth of the tallest. */
export function drawnAt(hours: number[], hour: number, value: number): number[] {
  const step = 10 ** Math.floor(Math.log10(Math.max(...hours, value, 1e-9)) - 1);
  const rounded = Number((Math.max(0, Math.round(value / step)) * step).toPrecision(6));
  return hours.map((before, place) => (place === hour ? rounded : before));
}
