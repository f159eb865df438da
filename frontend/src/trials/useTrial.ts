import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, unwrap, type Trial, type TrialOrder } from "@/api";
import { FACES } from "./model";
import { planQuery, trialQuery, trialsQuery } from "./queries";

/** A trial being planned, and the one in view: begun, stopped, gone on with. */
export function useTrial(
  order: TrialOrder,
  isReady: boolean,
  number: number | undefined,
  onBegun: (number: number) => void,
) {
  const client = useQueryClient();
  const plan = useQuery({ ...planQuery(order), enabled: isReady });
  const query = useQuery({ ...trialQuery(number ?? 0), enabled: number !== undefined });
  const trial = query.data?.order.kind === order.kind ? query.data : undefined;
  const other = query.data && !trial ? FACES.find(({ face }) => face === query.data.order.kind)?.label : undefined; // as an address may have it
  const state = trial?.state;
  useEffect(() => {
    if (state) void client.invalidateQueries({ queryKey: trialsQuery.queryKey, exact: true });
  }, [client, state]);
  const refresh = (done: Trial) => {
    client.setQueryData(trialQuery(done.id).queryKey, done);
    void client.invalidateQueries({ queryKey: trialsQuery.queryKey, exact: true });
    void client.invalidateQueries({ queryKey: trialQuery(done.id).queryKey, exact: true });
  };
  const begin = useMutation({
    mutationFn: () => unwrap(api.POST("/api/trials", { body: order })),
    onSuccess: (made) => {
      refresh(made);
      onBegun(made.id);
    },
  });
  const act = useMutation({
    mutationFn: (what: "stop" | "go_on") =>
      unwrap(api.POST(`/api/trials/{number}/${what}`, { params: { path: { number: number! } } })),
    onSuccess: refresh,
  });
  const error =
    begin.error ??
    act.error ??
    query.error ??
    (other ? new Error(`Trial ${number} is of another kind: look for it under “${other}”.`) : null);
  return { plan, trial, begin, act, error };
}

export type TrialControl = ReturnType<typeof useTrial>;
