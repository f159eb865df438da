import { useSyncExternalStore } from "react";

/** A value that changes often and is shown in one place: only who reads it draws anew, not the page around it. */
export class Held<T> {
  private readonly listeners = new Set<() => void>();

  constructor(private value: T) {}

  get = (): T => this.value;

  set(value: T): void {
    if (value === this.value) return;
    this.value = value;
    this.listeners.forEach((listener) => listener());
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
}

export function useHeld<T>(held: Held<T>): T {
  return useSyncExternalStore(held.subscribe, held.get);
}
