import { queryOptions, experimental_streamedQuery as streamedQuery } from "@tanstack/react-query";
import { api, linesOf, unwrap, type RemovalKind, type Setup, type WorthStep } from "./client";

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
export const scriptsQuery = queryOptions({
  queryKey: ["scripts"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/scripts", { signal })),
});
export const marketsQuery = queryOptions({
  queryKey: ["markets"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/markets", { signal })),
});
/** What is stored and cannot be read, so that lists are without it. */
export const leftOutQuery = queryOptions({
  queryKey: ["left out"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/left-out", { signal })),
});
export const basketsQuery = queryOptions({
  queryKey: ["baskets"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/baskets", { signal })),
});
export const accountsQuery = queryOptions({
  queryKey: ["accounts"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/accounts", { signal })),
});
export const keptRunQuery = (number: number) =>
  queryOptions({
    queryKey: ["runs", number],
    queryFn: ({ signal }) => unwrap(api.GET("/api/runs/{number}", { params: { path: { number } }, signal })),
    staleTime: Infinity,
  });
/** What of the logbook is asked for; what is left out does not matter. */
export interface LogAsked {
  title?: string;
  place?: string;
  words?: string;
  starred?: boolean;
}
export const logQuery = (asked: LogAsked, most: number) =>
  queryOptions({
    queryKey: ["runs", "log", asked, most],
    queryFn: ({ signal }) => unwrap(api.GET("/api/runs", { params: { query: { ...asked, most } }, signal })),
    placeholderData: (before) => before,
  });
export const compareQuery = (runs: number[], alike: boolean) =>
  queryOptions({
    queryKey: ["runs", "compare", runs, alike],
    queryFn: ({ signal }) => unwrap(api.POST("/api/compare", { body: { runs, alike }, signal })),
    retry: false,
  });
export const seenQuery = (title: string) =>
  queryOptions({
    queryKey: ["runs", "seen", title],
    queryFn: ({ signal }) => unwrap(api.GET("/api/runs/seen", { params: { query: { title } }, signal })),
    staleTime: 0,
  });
export const tallyQuery = (title: string) =>
  queryOptions({
    queryKey: ["runs", "tally", title],
    queryFn: ({ signal }) => unwrap(api.GET("/api/tally", { params: { query: { title } }, signal })),
    staleTime: 0,
  });
export const dependsQuery = (kind: RemovalKind, name: string) =>
  queryOptions({
    queryKey: ["depends", kind, name],
    queryFn: ({ signal }) => unwrap(api.GET("/api/depends", { params: { query: { kind, name } }, signal })),
    staleTime: 0,
  });
export const guideQuery = (words: string) =>
  queryOptions({
    queryKey: ["guide", "search", words],
    queryFn: ({ signal }) => unwrap(api.GET("/api/guide", { params: { query: { words } }, signal })),
    staleTime: Infinity,
  });
export const guideEntryQuery = (id: string) =>
  queryOptions({
    queryKey: ["guide", id],
    queryFn: ({ signal }) => unwrap(api.GET("/api/guide/entry", { params: { query: { id } }, signal })),
    staleTime: Infinity,
  });
export const guidePictureQuery = (id: string) =>
  queryOptions({
    queryKey: ["guide", id, "picture"],
    queryFn: ({ signal }) => unwrap(api.GET("/api/guide/picture", { params: { query: { id } }, signal })),
    staleTime: Infinity,
    retry: false,
  });
export const readBackQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["readback", setup],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/readback", { body: { setup }, signal })),
    retry: false,
  });
export const pythonQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["python", setup],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/python", { body: { setup }, signal })),
    retry: false,
  });
export const conversionNamesQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["conversion names", setup],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/conversion/names", { body: { setup }, signal })),
    retry: false,
  });
export const sheetQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["sheet", setup.text, setup.market, setup.timeframe, setup.account],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/sheet", { body: { setup }, signal })),
    retry: false,
  });
export const conditionsQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["conditions", setup],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/conditions", { body: { setup }, signal })),
    retry: false,
    staleTime: Infinity,
  });
export const marketPreviewQuery = (symbol: string) =>
  queryOptions({
    queryKey: ["market preview", symbol],
    queryFn: ({ signal }) => unwrap(api.GET("/api/markets/preview", { params: { query: { symbol } }, signal })),
    staleTime: 60_000,
  });
export const traceQuery = (number: number) =>
  queryOptions({
    queryKey: ["runs", number, "trace"],
    queryFn: ({ signal }) => unwrap(api.GET("/api/runs/{number}/trace", { params: { path: { number } }, signal })),
    staleTime: Infinity,
    retry: false,
  });
/** What of a version of a market's bars deserves a look, as it is described; settings as text, which is the same for
 * the same. */
export const oddBarsQuery = (symbol: string, version: string, described: string) =>
  queryOptions({
    queryKey: ["odd bars", symbol, version, described],
    queryFn: ({ signal }) =>
      unwrap(
        api.POST("/api/markets/oddities", {
          body: { symbol, described: JSON.parse(described) as Setup["described"] },
          signal,
        }),
      ),
    retry: false,
  });
/** What a market with a version of its bars, as it is described, makes of a run and of a round trip; the setup as text. */
export const marketLookQuery = (version: string, setup: string) =>
  queryOptions({
    queryKey: ["market look", version, setup],
    queryFn: ({ signal }) =>
      unwrap(api.POST("/api/markets/look", { body: { setup: JSON.parse(setup) as Setup }, signal })),
    retry: false,
  });
/** The run without each of its lines, a line a run. */
export const worthQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["worth", setup],
    queryFn: streamedQuery<WorthStep>({
      streamFn: ({ signal }) => linesOf(api.POST("/api/report/worth", { body: { setup }, signal, parseAs: "stream" })),
    }),
    retry: false,
    staleTime: Infinity,
  });
