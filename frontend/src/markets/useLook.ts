import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { marketLookQuery, oddBarsQuery, type Market, type MarketLook, type Setup } from "@/api";
import type { Settings } from "./description";

export type Charges = MarketLook["charges"];
const REST_MS = 250; // while a column is drawn, every step of it need not be tried
const OF_BARS = ["tick", "zone", "session", "session_day", "days"] as const;

/**
 * What a description makes of a run, of a round trip and of the bars, tried once the hand rests; beside it what the
 * stored one does, and whether all that is of what is in view. Without a script to try there is no run.
 */
export function useLook(market: Market, setup: Setup | null, now: Settings) {
  const version = market.bars.map((bars) => bars.version).join(" ");
  const asText = (described: object) => JSON.stringify(setup && { ...setup, described });
  const wanted = JSON.stringify(now);
  const [rested, setRested] = useState(wanted);
  useEffect(() => {
    const timer = setTimeout(() => setRested(wanted), REST_MS);
    return () => clearTimeout(timer);
  }, [wanted]);
  const tried = JSON.parse(rested) as Settings;
  const ofBars = JSON.stringify(Object.fromEntries(OF_BARS.map((key) => [key, tried[key]])));
  const before = useQuery({ ...marketLookQuery(version, asText(market.settings)), enabled: setup !== null });
  const after = useQuery({
    ...marketLookQuery(version, asText(tried)),
    enabled: setup !== null,
    placeholderData: keepPreviousData,
  });
  const odd = useQuery({ ...oddBarsQuery(market.symbol, version, ofBars), placeholderData: keepPreviousData });
  const isOld = wanted !== rested || [after, odd].some((found) => found.isPlaceholderData || found.isFetching);
  return {
    before: before.data ?? null,
    after: after.data ?? null,
    odd: odd.data ?? null,
    isOld,
    error: wanted === rested ? ((after.error ?? odd.error)?.message ?? null) : null,
  };
}
