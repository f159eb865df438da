/**
 * How far one is on the first voyage, in this browser: the step, what was done of it, whether its card is open. It can be
 * left and taken up again; other places say what was done there.
 */
import { useSyncExternalStore } from "react";

export interface VoyageState {
  isOpen: boolean;
  /** From 0; as many as there are when it has been made. */
  step: number;
  /** What was done, by the names that steps wait for. */
  done: string[];
  /** Steps that were gone on from without being done. */
  skipped: number[];
  /** Whether the first minute's card was closed, or the voyage begun. */
  isMet: boolean;
}

/** Its steps by name. */
export const VOYAGE = [
  "Bars",
  "A line",
  "A question",
  "One bar",
  "In",
  "Out",
  "What may be lost",
  "The other side",
  "Judge",
  "Doubt",
] as const;

const KEY = "skelb-voyage";
const NONE: VoyageState = { isOpen: false, step: 0, done: [], skipped: [], isMet: false };
const listeners = new Set<() => void>();
let state = read();

function read(): VoyageState {
  try {
    const found = JSON.parse(localStorage.getItem(KEY) ?? "null") as Partial<VoyageState> | null;
    const isFit =
      found && typeof found.step === "number" && Array.isArray(found.done) && Array.isArray(found.skipped ?? []);
    return isFit ? { ...NONE, ...found, skipped: found.skipped ?? [] } : NONE;
  } catch {
    return NONE;
  }
}

function put(next: VoyageState): void {
  state = next;
  localStorage.setItem(KEY, JSON.stringify(next));
  listeners.forEach((listener) => listener());
}

const subscribe = (listener: () => void) => {
  const changed = (event: StorageEvent) => {
    if (event.key !== KEY) return;
    state = read();
    listener();
  };
  listeners.add(listener);
  window.addEventListener("storage", changed);
  return () => {
    listeners.delete(listener);
    window.removeEventListener("storage", changed);
  };
};

export const useVoyage = (): VoyageState => useSyncExternalStore(subscribe, () => state);

/** Begin it, or take it up where it was left; one that was made begins anew. */
export function sailOn(): void {
  put({ ...(state.step >= VOYAGE.length ? NONE : state), isOpen: true, isMet: true });
}

export const leaveVoyage = (): void => put({ ...state, isOpen: false });
export const goToStep = (step: number): void => put({ ...state, step });

/** Go on from the step, and say whether it was done. */
export function passStep(isDone: boolean): void {
  const others = state.skipped.filter((step) => step !== state.step);
  put({ ...state, step: state.step + 1, skipped: isDone ? others : [...others, state.step] });
}

export const meetFirstMinute = (): void => put({ ...state, isMet: true });

/** Say that something was done, for a step that waits for it. */
export function noteDone(what: string): void {
  if (state.isOpen && !state.done.includes(what)) put({ ...state, done: [...state.done, what] });
}
