import { queryOptions, experimental_streamedQuery as streamedQuery } from "@tanstack/react-query";
import {
  api,
  linesOf,
  unwrap,
  type ChallengeRules,
  type HistoryRules,
  type HistoryStep,
  type ResampleKind,
  type Setup,
  type StressStep,
} from "@/api";

export const stressQuery = (setup: Setup, others: { market: string; timeframe: string }[]) =>
  queryOptions({
    queryKey: ["stress", setup, others],
    queryFn: streamedQuery<StressStep>({
      streamFn: ({ signal }) =>
        linesOf(api.POST("/api/doubt/stress", { body: { setup, others }, signal, parseAs: "stream" })),
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

export const resampleQuery = (setup: Setup, drawing: Drawing) =>
  queryOptions({
    queryKey: ["resample", setup, drawing],
    queryFn: ({ signal }) => unwrap(api.POST("/api/doubt/resample", { body: { setup, ...drawing }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const historiesQuery = (setup: Setup, rules: HistoryRules) =>
  queryOptions({
    queryKey: ["histories", setup, rules],
    queryFn: streamedQuery<HistoryStep>({
      streamFn: ({ signal }) =>
        linesOf(api.POST("/api/doubt/histories", { body: { setup, rules }, signal, parseAs: "stream" })),
    }),
    retry: false,
    staleTime: Infinity,
  });

export const challengeQuery = (setup: Setup, rules: ChallengeRules) =>
  queryOptions({
    queryKey: ["challenge", setup, rules],
    queryFn: ({ signal }) => unwrap(api.POST("/api/doubt/challenge", { body: { setup, rules }, signal })),
    retry: false,
    staleTime: Infinity,
  });
