import { useSyncExternalStore } from "react";

const query = window.matchMedia("(max-width: 900px)");

/** Whether there is room for one column only, as on a page enlarged twice. */
export function useNarrow(): boolean {
  return useSyncExternalStore(
    (listener) => {
      query.addEventListener("change", listener);
      return () => query.removeEventListener("change", listener);
    },
    () => query.matches,
  );
}
