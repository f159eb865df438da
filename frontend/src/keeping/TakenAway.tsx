import { useMutation } from "@tanstack/react-query";
import type { RemovalKind } from "@/api";
import { tellAll, Trouble } from "@/ui";
import { useRemovals, useRemoved } from "./removals";

/** What was taken away since the page was opened, each with the way back. */
export function TakenAway({ kind }: { kind: RemovalKind }) {
  const removed = useRemoved().filter((item) => item.kind === kind);
  const { bringBack } = useRemovals();
  const back = useMutation({ mutationFn: bringBack, onSuccess: (_, what) => tellAll(`${what.called} is back.`) });
  if (removed.length === 0) return null;
  return (
    <div className="border-b border-line px-4 py-2" data-testid="taken-away">
      {removed.map((what) => (
        <p key={`${what.kind} ${what.name}`} className="flex items-baseline gap-3">
          <span className="text-soft">{what.called} was deleted.</span>
          <button type="button" className="plain-button !py-0" onClick={() => back.mutate(what)}>
            Bring {what.called} back
          </button>
        </p>
      ))}
      {back.error && <Trouble error={back.error.message} />}
    </div>
  );
}
