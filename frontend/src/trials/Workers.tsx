import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "@/api";
import { workersQuery } from "./queries";

/** Who computes: threads here, or a cluster by its scheduler's address. */
export function Workers() {
  const client = useQueryClient();
  const found = useQuery(workersQuery);
  const [typed, setTyped] = useState<string | null>(null);
  const set = useMutation({
    mutationFn: (cluster: string) => unwrap(api.PUT("/api/workers", { body: { cluster } })),
    onSuccess: (now) => {
      client.setQueryData(workersQuery.queryKey, now);
      setTyped(null);
    },
  });
  if (!found.data) return null;
  const { cluster, threads } = found.data;
  return (
    <section aria-label="Who computes" className="mt-4">
      <h2>Who computes</h2>
      <p className="text-soft">{cluster ? `The cluster at ${cluster}` : `${threads} threads here`}</p>
      <form
        className="mt-1 flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          set.mutate(typed ?? cluster);
        }}
      >
        <input
          className="field num min-w-0 flex-1"
          aria-label="Cluster address"
          placeholder="tcp://host:8786"
          value={typed ?? cluster}
          onChange={(event) => setTyped(event.target.value)}
        />
        <button type="submit" className="plain-button !px-2 !py-0" disabled={typed === null || typed === cluster}>
          {typed === "" ? "use threads" : "use it"}
        </button>
      </form>
      {set.error && <p className="text-loss">{set.error.message}</p>}
    </section>
  );
}
