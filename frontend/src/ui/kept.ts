import { useState } from "react";

/** A value of a place that is there again when one comes back to it, or loads it anew; each tab has its own. */
export function useKept<T>(key: string, first: T | (() => T)): [T, (next: T) => void] {
  const [value, setValue] = useState<{ key: string; value: T }>(() => ({ key, value: read(key, first) }));
  const now = value.key === key ? value.value : read(key, first);
  const put = (next: T) => {
    sessionStorage.setItem(`skelb-kept ${key}`, JSON.stringify(next));
    setValue({ key, value: next });
  };
  return [now, put];
}

function read<T>(key: string, first: T | (() => T)): T {
  try {
    const found = sessionStorage.getItem(`skelb-kept ${key}`);
    if (found !== null) return JSON.parse(found) as T;
  } catch {
    // not by this program
  }
  return first instanceof Function ? first() : first;
}
