/** What of a market's chart was in view, as moments: the same on any timeframe, and after coming back. */
export interface Sight {
  from: number;
  to: number;
  held: number | null;
  /** So many bars more on either side, whatever the clock says. */
  around?: number;
}

const keyOf = (symbol: string) => `skelb-sight ${symbol}`;

export function readSight(symbol: string): Sight | null {
  try {
    return JSON.parse(sessionStorage.getItem(keyOf(symbol)) ?? "null") as Sight | null;
  } catch {
    return null;
  }
}

export function keepSight(symbol: string, sight: Sight): void {
  sessionStorage.setItem(keyOf(symbol), JSON.stringify(sight));
}
