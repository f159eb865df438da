import { useMutation } from "@tanstack/react-query";
import type { Setup } from "@/api";
import { moneyText, moneyTone, plain, signed } from "@/ui";
import { tryNearer } from "./queries";

/** A level run for true: what the script would say, and what that comes to. */
export function TryIt({ setup, kind, level }: { setup: Setup; kind: "stop" | "target"; level: number }) {
  const tried = useMutation({ mutationFn: () => tryNearer(setup, kind, Number(level.toPrecision(3))) });
  const { net_profit, trades } = tried.data?.figures ?? {};
  return (
    <span className="no-print block py-1" data-testid="tried-nearer">
      {!tried.data && (
        <button type="button" className="plain-button !py-0" disabled={tried.isPending} onClick={() => tried.mutate()}>
          Try it
        </button>
      )}{" "}
      {tried.error && <span className="text-loss">{tried.error.message}</span>}
      {tried.data && (
        <>
          Run for true, with <code className="num">{tried.data.lines.join(", ")}</code>: net{" "}
          <b className={`num ${moneyTone(net_profit)}`}>{moneyText(net_profit ?? 0)}</b> (
          {signed(tried.data.differences.net_profit ?? 0, 0)}) in {plain(trades ?? 0, 0)} trades.
        </>
      )}
    </span>
  );
}
