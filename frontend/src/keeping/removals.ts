import { useQueryClient } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";
import { api, unwrap, type RemovalKind } from "@/api";

/** Something that was taken away while this page is open. */
export interface Removed {
  kind: RemovalKind;
  name: string;
  /** How it is called on the page. */
  called: string;
}

let removed: Removed[] = [];
const listeners = new Set<() => void>();

function put(next: Removed[]): void {
  removed = next;
  listeners.forEach((listener) => listener());
}

/** What was taken away since the page was opened, newest first. */
export function useRemoved(): Removed[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => removed,
  );
}

const LISTS: Record<RemovalKind, string[]> = {
  script: ["scripts"],
  market: ["markets"],
  account: ["accounts"],
  basket: ["baskets"],
  run: ["runs"],
  trial: ["trials"],
  practice: ["practices"],
};

/** Take things away and bring them back. */
export function useRemovals() {
  const client = useQueryClient();
  const send = async (way: "/api/removals" | "/api/removals/back", { kind, name }: Removed) => {
    const { error } = await api.POST(way, { body: { kind, name } });
    if (error) await unwrap(Promise.resolve({ error }));
    await client.invalidateQueries({ queryKey: LISTS[kind] });
  };
  return {
    takeAway: async (what: Removed) => {
      await send("/api/removals", what);
      put([what, ...removed]);
    },
    bringBack: async (what: Removed) => {
      await send("/api/removals/back", what);
      put(removed.filter((other) => other !== what));
    },
  };
}
