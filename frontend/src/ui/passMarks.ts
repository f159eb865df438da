import { useSyncExternalStore } from "react";

/** What a figure must reach to pass, or must not exceed. */
export interface PassMark {
  way: "least" | "most";
  value: number;
}

export type PassMarks = Record<string, PassMark>;

const KEY = "skelb-pass-marks";
const listeners = new Set<() => void>();
let kept: PassMarks = read();

function read(): PassMarks {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(KEY) ?? "{}");
    return found !== null && typeof found === "object" ? (found as PassMarks) : {};
  } catch {
    return {};
  }
}

/** Set a figure's pass mark, or take it away. Marks are the practitioner's own and hold for every run. */
export function setPassMark(figure: string, mark: PassMark | null): void {
  const others = Object.fromEntries(Object.entries(kept).filter(([name]) => name !== figure));
  kept = mark ? { ...others, [figure]: mark } : others;
  localStorage.setItem(KEY, JSON.stringify(kept));
  listeners.forEach((listener) => listener());
}

export function usePassMarks(): PassMarks {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => kept,
  );
}

/** Whether a value passes; null without a mark. A figure without a value does not pass. */
export function passes(mark: PassMark | undefined, value: number | null | undefined): boolean | null {
  if (!mark) return null;
  if (value === null || value === undefined) return false;
  return mark.way === "least" ? value >= mark.value : value <= mark.value;
}
