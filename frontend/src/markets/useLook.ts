import { useQuery, type keepPreviousData } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { marketLookQuery, type MarketLook, type Setup } from "@/api";

export type Look = MarketLook;
const REST_MS = 250; // while a column is drawn, every step of it need not be tried

/** What a description makes of a run and of a round trip, tried once the hand rests; whether that is of what is in view. */
export function useLook(setup: Setup | null, placeholder: typeof keepPreviousData) {
  const wanted = setup ? JSON.stringify(setup) : "";
  const [asked, setAsked] = useState(wanted);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(wanted), asked === "" ? 0 : REST_MS);
    return () => clearTimeout(timer);
  }, [wanted, asked]);
  const found = useQuery({ ...marketLookQuery(asked), enabled: asked !== "", placeholderData: placeholder });
  return {
    look: found.data ?? null,
    isOld: wanted !== asked || found.isPlaceholderData || found.isPending,
    error: wanted === asked ? (found.error?.message ?? null) : null,
  };
}
