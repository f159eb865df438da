import { hashKey, queryOptions } from "@tanstack/react-query";
import { api, unwrap, type MoveUnit, type Setup, type TrialOrder } from "@/api";
import type { ViewChoice } from "./model";

export const trialsQuery = queryOptions({
  queryKey: ["trials"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/trials", { signal })),
});

export const trialQuery = (number: number) =>
  queryOptions({
    queryKey: ["trials", number],
    queryFn: ({ signal }) => unwrap(api.GET("/api/trials/{number}", { params: { path: { number } }, signal })),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 300 : false),
  });

export const varyingQuery = (setup: Setup) =>
  queryOptions({
    queryKey: ["varying", setup.text, setup.market, setup.timeframe],
    queryFn: ({ signal }) => unwrap(api.POST("/api/varying", { body: { setup }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const planQuery = (body: TrialOrder) =>
  queryOptions({
    queryKey: ["trial plan", body],
    queryFn: ({ signal }) => unwrap(api.POST("/api/trials/plan", { body, signal })),
    retry: false,
    staleTime: 60_000,
  });

/** How a trial is seen; `done` stands in every key, since more finished runs make another picture. */
export interface Seen {
  number: number;
  done: number;
  objective: string;
  minTrades: number;
}

/** What stands until more runs are counted: the same of the same trial with fewer, never another one's. */
const ofFewer =
  (seen: Seen, what?: unknown) =>
  <Data>(before: Data | undefined, of: { queryKey: readonly unknown[] } | undefined): Data | undefined => {
    const was = of?.queryKey[3] as Seen | undefined;
    const isSame = was?.number === seen.number && was.objective === seen.objective && was.minTrades === seen.minTrades;
    return isSame && (what === undefined || hashKey([what]) === hashKey([of?.queryKey[4]])) ? before : undefined;
  };

const asked = ({ objective, minTrades }: Seen) => ({ objective, min_trades: minTrades });

export const surfaceQuery = (seen: Seen, view: ViewChoice) =>
  queryOptions({
    queryKey: ["trials", seen.number, "surface", seen, view],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/surface", {
          params: {
            path: { number: seen.number },
            query: {
              ...asked(seen),
              x: view.x,
              y: view.y,
              held: Object.entries(view.held).map(([name, place]) => `${name}:${place}`),
              fold: view.fold,
              part: view.part,
            },
          },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen, view),
  });

export interface TableAsk {
  sort: string;
  descending: boolean;
  least: string[];
  most: string[];
  limit: number;
}

export const tableQuery = (seen: Seen, ask: TableAsk) =>
  queryOptions({
    queryKey: ["trials", seen.number, "table", seen, ask],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/table", {
          params: { path: { number: seen.number }, query: { ...asked(seen), ...ask } },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen),
    retry: false,
  });

export const runQuery = (seen: Seen, point: number) =>
  queryOptions({
    queryKey: ["trials", seen.number, "run", seen, point],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/runs/{point}", {
          params: { path: { number: seen.number, point }, query: asked(seen) },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen, point),
    retry: false,
  });

export const curvesQuery = (seen: Seen, point: number) =>
  queryOptions({
    queryKey: ["trials", seen.number, "curves", seen, point],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/curves/{point}", {
          params: { path: { number: seen.number, point }, query: asked(seen) },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen),
    retry: false,
  });

export const frontQuery = (seen: Seen, by: string[]) =>
  queryOptions({
    queryKey: ["trials", seen.number, "front", seen, by],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/front", {
          params: { path: { number: seen.number }, query: { ...asked(seen), by } },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen, by),
  });

export const againstQuery = (seen: Seen) =>
  queryOptions({
    queryKey: ["trials", seen.number, "against", seen],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/against", {
          params: { path: { number: seen.number }, query: asked(seen) },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen),
    retry: false,
  });

export const deflationQuery = (seen: Seen) =>
  queryOptions({
    queryKey: ["trials", seen.number, "deflation", seen],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/deflation", {
          params: { path: { number: seen.number }, query: asked(seen) },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen),
    retry: false,
  });

export const walkQuery = (seen: Seen, choose: "value" | "neighbours") =>
  queryOptions({
    queryKey: ["trials", seen.number, "walk", seen, choose],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/trials/{number}/walk", {
          params: { path: { number: seen.number }, query: { ...asked(seen), choose } },
          signal,
        }),
      ),
    placeholderData: ofFewer(seen, choose),
    retry: false,
  });

export const readyConditionsQuery = queryOptions({
  queryKey: ["ready conditions"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/search/conditions", { signal })),
  staleTime: Infinity,
});

export const studyQuery = (setup: Setup, unit: MoveUnit, condition = "") =>
  queryOptions({
    queryKey: ["study", setup, unit, condition],
    queryFn: ({ signal }) => unwrap(api.POST("/api/study", { body: { setup, unit, condition }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const calendarQuery = (setup: Setup, unit: MoveUnit, condition: string) =>
  queryOptions({
    queryKey: ["calendar", setup, unit, condition],
    queryFn: ({ signal }) => unwrap(api.POST("/api/calendar", { body: { setup, unit, condition }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const basketQuery = (setup: Setup, dropped: string[], against: string | null) =>
  queryOptions({
    queryKey: ["basket", setup, dropped, against],
    queryFn: ({ signal }) => unwrap(api.POST("/api/basket", { body: { setup, dropped, against }, signal })),
    retry: false,
    staleTime: Infinity,
  });

export const workersQuery = queryOptions({
  queryKey: ["workers"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/workers", { signal })),
});
