import { useEffect, useSyncExternalStore } from "react";

/** Something that can be done from anywhere: named for the palette, with the keys that do it where it is at home. */
export interface Command {
  name: string;
  /** Keys as they are written on the keyboard card. */
  keys?: string;
  act: () => void;
}

const groups = new Map<object, { place: string; commands: Command[] }>();
const listeners = new Set<() => void>();
let all: { place: string; commands: Command[] }[] = [];

function changed(): void {
  all = [...groups.values()];
  listeners.forEach((listener) => listener());
}

/** Offer commands for as long as the component lives. */
export function useCommands(place: string, commands: Command[]): void {
  useEffect(() => {
    const key = {};
    groups.set(key, { place, commands });
    changed();
    return () => {
      groups.delete(key);
      changed();
    };
  }, [place, commands]);
}

/** What is offered now, by place. */
export function useOffered(): { place: string; commands: Command[] }[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => all,
  );
}
