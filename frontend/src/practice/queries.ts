import { keepPreviousData, queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type FeedChoice, type Setup } from "@/api";

const LOOK_MS = 1_000;

export const practicesQuery = queryOptions({
  queryKey: ["practices"],
  queryFn: ({ signal }) => unwrap(api.GET("/api/practices", { signal })),
  refetchInterval: (query) => (query.state.data?.some((line) => line.state === "running") ? LOOK_MS * 2 : false),
});

/** A practice as it stands on one of its markets, looked at again while it is followed; while the first look at another
 *  market is on its way the one before stands, under its own name. */
export const practiceQuery = (number: number, market: string | undefined) =>
  queryOptions({
    queryKey: ["practices", number, "shown", market ?? ""],
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/practices/{number}", { params: { path: { number }, query: { market } }, signal })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.line.state === "running" ? LOOK_MS : false),
    retry: false,
  });

export const eventsQuery = (number: number, most: number) =>
  queryOptions({
    queryKey: ["practices", number, "events", most],
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/practices/{number}/events", { params: { path: { number }, query: { most } }, signal })),
  });

type Act = "pause" | "go-on" | "stop";

/** What can be done with practices; lists and views are asked for again after it. */
export function usePractices() {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: ["practices"] });
  const begin = useMutation({
    mutationFn: (body: { setup: Setup; feed: FeedChoice; since: string | null; run: number | null }) =>
      unwrap(api.POST("/api/practices", { body })),
    onSuccess,
  });
  const act = useMutation({
    mutationFn: async ({ number, what }: { number: number; what: Act }) => {
      const params = { params: { path: { number } } };
      if (what === "pause") return unwrap(api.POST("/api/practices/{number}/pause", params));
      if (what === "stop") return unwrap(api.POST("/api/practices/{number}/stop", params));
      return unwrap(api.POST("/api/practices/{number}/go-on", params));
    },
    onSuccess,
  });
  const pace = useMutation({
    mutationFn: ({ number, pace }: { number: number; pace: number }) =>
      unwrap(api.PUT("/api/practices/{number}/pace", { params: { path: { number } }, body: { pace } })),
    onSuccess,
  });
  const webhook = useMutation({
    mutationFn: ({ number, url, secret }: { number: number; url: string; secret: string }) =>
      unwrap(api.PUT("/api/practices/{number}/webhook", { params: { path: { number } }, body: { url, secret } })),
    onSuccess,
  });
  const test = useMutation({
    mutationFn: (number: number) =>
      unwrap(api.POST("/api/practices/{number}/webhook/test", { params: { path: { number } } })),
  });
  const again = useMutation({
    mutationFn: (number: number) =>
      unwrap(api.POST("/api/practices/{number}/webhook/again", { params: { path: { number } } })),
    onSuccess,
  });
  return { begin, act, pace, webhook, test, again };
}
