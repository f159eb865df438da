import { useKept } from "@/ui";

/** The most a trade may cost of a day's range, percent, for a market of the basket to be run; null for no limit. */
export const useDearest = (of: string) => useKept<number | null>(`${of} basket dearest`, null);
