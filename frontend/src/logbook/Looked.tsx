import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, placeOf, seenQuery, unwrap, type SeenRun } from "@/api";
import { agoText, Loading, moneyText, moneyTone, plain, tellAll, Trouble } from "@/ui";

/** Runs that were looked at for more than a few seconds, and can be kept. */
export function Looked({ title, onWork }: { title: string; onWork: (run: SeenRun) => void }) {
  const client = useQueryClient();
  const seen = useQuery(seenQuery(title));
  const keep = useMutation({
    mutationFn: (run: SeenRun) => unwrap(api.POST("/api/runs", { body: { setup: run.setup } })),
    onSuccess: (run) => {
      tellAll(`Run ${run.number} is kept.`);
      return client.invalidateQueries({ queryKey: ["runs"] });
    },
  });
  if (seen.error) return <Trouble error={seen.error.message} />;
  if (!seen.data) return <Loading what="Remembering" />;
  const { runs, total, days, most, bytes } = seen.data;
  return (
    <>
      {keep.error && <Trouble error={keep.error.message} />}
      {runs.length === 0 && <p className="p-6 text-soft">No run was looked at for more than a few seconds yet.</p>}
      {runs.length > 0 && (
        <table className="w-full" data-testid="looked">
          <thead>
            <tr className="border-b border-line text-left text-note text-soft italic">
              {["looked at", "script", "on", "net", "return / drawdown", "trades", ""].map((name, place) => (
                <th
                  key={place}
                  scope="col"
                  className={`px-2 py-1 font-normal ${place > 2 && place < 6 ? "text-right" : ""}`}
                >
                  {name || <span className="sr-only">doings</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {runs.map((run) => (
              <tr key={`${run.seen} ${JSON.stringify(run.setup.inputs)}`} className="border-b border-line">
                <td className="px-2 py-1 text-soft">{agoText(Date.now() - Date.parse(run.seen))}</td>
                <td className="px-2 font-semibold">{run.title || "untitled"}</td>
                <td className="px-2">
                  {placeOf(run.setup)} at {run.setup.timeframe}
                  <span className="text-soft">
                    {Object.entries(run.setup.inputs ?? {})
                      .map(([name, value]) => `, ${name} ${value}`)
                      .join("")}
                  </span>
                </td>
                <td className={`num px-2 text-right ${moneyTone(run.net_profit)}`}>
                  {run.net_profit === null ? "–" : moneyText(run.net_profit)}
                </td>
                <td className="num px-2 text-right">
                  {run.return_over_drawdown === null ? "–" : plain(run.return_over_drawdown, 2)}
                </td>
                <td className="num px-2 text-right">{run.trades === null ? "–" : plain(run.trades, 0)}</td>
                <td className="px-2 text-right whitespace-nowrap">
                  <button type="button" className="plain-button !py-0" onClick={() => onWork(run)}>
                    Work on it
                  </button>{" "}
                  <button
                    type="button"
                    className="plain-button !py-0"
                    onClick={() => !keep.isPending && keep.mutate(run)}
                  >
                    Keep
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="px-2 py-3 text-note text-soft">
        {plain(total, 0)} remembered, for {days} days and at most {plain(most, 0)}; all of them take{" "}
        {plain(bytes / 1e6, 1)} MB.
      </p>
    </>
  );
}
