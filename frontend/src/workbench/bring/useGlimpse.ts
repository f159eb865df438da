import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, unwrap, type Setup } from "@/api";
import type { Answers } from "./model";

/** What the pasted text does with answers for all its questions, on the market in view. */
export const glimpseQuery = (text: string, answers: Answers, place: Setup) =>
  queryOptions({
    queryKey: ["brought run", text, answers, place],
    queryFn: ({ signal }) =>
      unwrap(api.POST("/api/texts/bring/run", { body: { text, answers, setup: place }, signal })),
    retry: false,
    staleTime: 60_000, // the same text on the same bars: markets that change ask anew with the setup
  });

/** The run of what stands at the right; the one before stays in view until it is there. */
export function useGlimpse(text: string, answers: Answers | null, place: Setup) {
  return useQuery({
    ...glimpseQuery(text, answers ?? {}, place),
    enabled: answers !== null,
    placeholderData: keepPreviousData,
  });
}

export type Ran = ReturnType<typeof useGlimpse>;
