import { queryOptions } from "@tanstack/react-query";
import { api, unwrap, type Setup } from "@/api";
import type { Swings } from "./model";

export const reportQuery = (setup: Setup, against: string | null, swings: Swings) =>
  queryOptions({
    queryKey: ["report", setup, against, swings],
    queryFn: ({ signal }) => unwrap(api.POST("/api/report", { body: { setup, against, swings }, signal })),
    placeholderData: (before, query) =>
      JSON.stringify(query?.queryKey[1]) === JSON.stringify(setup) ? before : undefined,
    retry: false,
  });

/** The report as a page that opens anywhere. */
export const savedPage = (setup: Setup, against: string | null, swings: Swings) =>
  unwrap(
    api.POST("/api/report/page", { body: { setup, against, swings }, parseAs: "blob" }) as Promise<{ data?: Blob }>,
  );

/** The run in one file, with all that it was made of. */
export const savedPack = (setup: Setup) =>
  unwrap(api.POST("/api/report/pack", { body: { setup }, parseAs: "blob" }) as Promise<{ data?: Blob }>);

export type TableForm = "csv" | "csv-comma" | "parquet";

/** The trades of a run, or its equity, as a file. */
export const savedTable = (setup: Setup, of: TableOf, form: TableForm) =>
  unwrap(
    api.POST("/api/report/table", { params: { query: { of, form } }, body: { setup }, parseAs: "blob" }) as Promise<{
      data?: Blob;
    }>,
  );

export type TableOf = "trades" | "equity";

/** The same of the days outside of a walk-forward. */
export const savedWalkTable = (
  number: number,
  choose: "value" | "neighbours",
  objective: string | undefined,
  of: TableOf,
  form: TableForm,
) =>
  unwrap(
    api.GET("/api/trials/{number}/walk/table", {
      params: { path: { number }, query: { choose, objective, of, form } },
      parseAs: "blob",
    }) as Promise<{ data?: Blob }>,
  );

/** The days outside of a walk-forward judged whole. */
export const walkReportQuery = (trial: number, choose: "value" | "neighbours", objective: string | undefined) =>
  queryOptions({
    queryKey: ["report", "walk", trial, choose, objective],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/walk/report", {
          params: { path: { number: trial }, query: { choose, objective } },
          signal,
        }),
      ),
    retry: false,
  });

/** The run with a nearer stop, or another target, run for true; levels in R. */
export const tryNearer = (setup: Setup, kind: "stop" | "target", level: number) =>
  unwrap(api.POST("/api/report/nearer", { body: { setup, kind, level } }));
