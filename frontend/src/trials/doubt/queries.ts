import { queryOptions, experimental_streamedQuery as streamedQuery } from "@tanstack/react-query";
import { api, linesOf, unwrap, type ChallengeRules, type ResampleKind, type Setup, type StressStep } from "@/api";

export const stressQuery = (setup: Setup, others: { market: string; timeframe: string }[]) =>
  queryOptions({
    queryKey: ["stress", setup, others],
    queryFn: streamedQuery<StressStep>({ streamFn: ({ signal }) => linesOf(api.POST("/api/doubt/stress", { body: { setup, others }, signal, parseAs: "stream" })) }),
    retry: false,
    staleTime: Infinity,
  });

export const resampleQuery = (setup: Setup, kind: ResampleKind) =>
  queryOptions({
    queryKey: ["resample", setup, kind],
    queryFn: ({ signal }) => unwrap(api.POST("/api/doubt/resample", { body: { setup, kind, samples: 1000, seed: 1, share: 0.1, block: 10 }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const challengeQuery = (setup: Setup, rules: ChallengeRules) =>
  queryOptions({ queryKey: ["challenge", setup, rules], queryFn: ({ signal }) => unwrap(api.POST("/api/doubt/challenge", { body: { setup, rules }, signal })), retry: false, staleTime: Infinity });
