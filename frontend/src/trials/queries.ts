import { queryOptions } from "@tanstack/react-query";
import { api, unwrap, type SweepIn } from "@/api";

export const trialsQuery = queryOptions({ queryKey: ["trials"], queryFn: ({ signal }) => unwrap(api.GET("/api/trials", { signal })) });

export const trialQuery = (number: number) =>
  queryOptions({
    queryKey: ["trials", number],
    queryFn: ({ signal }) => unwrap(api.GET("/api/trials/{number}", { params: { path: { number } }, signal })),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 300 : false),
  });

/** The surface after `done` runs: a new number of finished runs is a new picture. */
export const surfaceQuery = (number: number, done: number, objective: string, minTrades: number) =>
  queryOptions({
    queryKey: ["trials", number, "surface", done, objective, minTrades],
    queryFn: ({ signal }) => unwrap(api.GET("/api/trials/{number}/surface", { params: { path: { number }, query: { objective, min_trades: minTrades } }, signal })),
    placeholderData: (before) => before,
  });

export const cellQuery = (number: number, cell: number) =>
  queryOptions({
    queryKey: ["trials", number, "cell", cell],
    queryFn: ({ signal }) => unwrap(api.GET("/api/trials/{number}/cells/{cell}", { params: { path: { number, cell } }, signal })),
    staleTime: Infinity,
  });

export const planQuery = (body: SweepIn) =>
  queryOptions({
    queryKey: ["trial plan", body],
    queryFn: ({ signal }) => unwrap(api.POST("/api/trials/plan", { body, signal })),
    retry: false,
    staleTime: 60_000,
  });
