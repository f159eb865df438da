import { queryOptions } from "@tanstack/react-query";
import { api, unwrap } from "./client";

export const startQuery = queryOptions({
  queryKey: ["start"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/start", { signal })),
  staleTime: Infinity,
});
export const catalogueQuery = queryOptions({
  queryKey: ["catalogue"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/catalogue", { signal })),
  staleTime: Infinity,
});
export const scriptsQuery = queryOptions({ queryKey: ["scripts"], queryFn: ({ signal }) => unwrap(api.GET("/api/scripts", { signal })) });
export const marketsQuery = queryOptions({ queryKey: ["markets"], queryFn: ({ signal }) => unwrap(api.GET("/api/markets", { signal })) });
export const accountsQuery = queryOptions({ queryKey: ["accounts"], queryFn: ({ signal }) => unwrap(api.GET("/api/accounts", { signal })) });
export const keptRunQuery = (number: number) =>
  queryOptions({
    queryKey: ["runs", number],
    queryFn: ({ signal }) => unwrap(api.GET("/api/runs/{number}", { params: { path: { number } }, signal })),
    staleTime: Infinity,
  });
