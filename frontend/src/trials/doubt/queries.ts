import { queryOptions, experimental_streamedQuery as streamedQuery } from "@tanstack/react-query";
import { api, linesOf, unwrap, type ChallengeRules, type ResampleKind, type Setup, type StressStep } from "@/api";

/** What is doubted: a setup, or the basket that is run with it. */
export interface Doubted {
  setup: Setup;
  basket: string[];
  dearest: number | null;
}

export const stressQuery = (doubted: Doubted, others: { market: string; timeframe: string }[]) =>
  queryOptions({
    queryKey: ["stress", doubted, others],
    queryFn: streamedQuery<StressStep>({
      streamFn: ({ signal }) =>
        linesOf(api.POST("/api/doubt/stress", { body: { ...doubted, others }, signal, parseAs: "stream" })),
    }),
    retry: false,
    staleTime: Infinity,
  });

/** How trades are drawn anew: `share` of what is skipped or lost, `block` trades in a stretch. */
export interface Drawing {
  kind: ResampleKind;
  share: number;
  block: number;
  samples: number;
  seed: number;
}

export const resampleQuery = (doubted: Doubted, drawing: Drawing) =>
  queryOptions({
    queryKey: ["resample", doubted, drawing],
    queryFn: ({ signal }) => unwrap(api.POST("/api/doubt/resample", { body: { ...doubted, ...drawing }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const challengeQuery = (doubted: Doubted, rules: ChallengeRules) =>
  queryOptions({
    queryKey: ["challenge", doubted, rules],
    queryFn: ({ signal }) => unwrap(api.POST("/api/doubt/challenge", { body: { ...doubted, rules }, signal })),
    retry: false,
    staleTime: Infinity,
  });
