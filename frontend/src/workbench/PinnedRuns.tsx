import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keptRunsQuery, placeOf, type KeptRun } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { dateText, Loading, moneyText, PopOver, Trouble } from "@/ui";

interface Props {
  pinned: KeptRun;
  onPin: (number: number) => void;
  onUnpin: () => void;
}

/** The run that figures are seen against, and the others that were kept: to see against another, or to delete one. */
export function PinnedRuns({ pinned, onPin, onUnpin }: Props) {
  const [leaving, setLeaving] = useState<Removed | null>(null);
  return (
    <>
      <PopOver
        face={`against run ${pinned.number}`}
        title={`${pinned.title} on ${placeOf(pinned.setup)} at ${pinned.setup.timeframe}; press for the other kept runs`}
        className="cursor-pointer text-note whitespace-nowrap text-brass hover:underline"
        side="right"
      >
        {(close) => (
          <span className="block w-96 p-2">
            <Kept
              pinned={pinned.number}
              onPin={(number) => {
                onPin(number);
                close();
              }}
              onDelete={(run) => {
                setLeaving({ kind: "run", name: String(run.number), called: `run ${run.number}` });
                close();
              }}
            />
            <button
              type="button"
              className="plain-button mt-2 !py-0"
              onClick={() => {
                onUnpin();
                close();
              }}
            >
              Against none
            </button>
          </span>
        )}
      </PopOver>
      {leaving && (
        <RemovalDialog
          what={leaving}
          onClose={() => setLeaving(null)}
          onGone={() => leaving.name === String(pinned.number) && onUnpin()}
        />
      )}
    </>
  );
}

function Kept({
  pinned,
  onPin,
  onDelete,
}: {
  pinned: number;
  onPin: (number: number) => void;
  onDelete: (run: KeptRun) => void;
}) {
  const runs = useQuery(keptRunsQuery);
  if (runs.isPending) return <Loading what="Reading the kept runs" />;
  if (runs.error) return <Trouble error={runs.error.message} />;
  return (
    <>
      <ul aria-label="Kept runs" className="block max-h-72 overflow-auto">
        {runs.data.map((run) => (
          <li
            key={run.number}
            className={`flex items-baseline gap-2 border-b border-line px-1 py-1 ${run.number === pinned ? "border-l-[3px] border-l-brass" : ""}`}
          >
            <button
              type="button"
              className="flex min-w-0 flex-1 cursor-pointer items-baseline gap-2 text-left hover:underline"
              aria-current={run.number === pinned}
              onClick={() => onPin(run.number)}
            >
              <span className="num w-8 flex-none">{run.number}</span>
              <span className="min-w-0 flex-1 truncate">
                {run.title || "untitled"} on {placeOf(run.setup)} {run.setup.timeframe}, {dateText(run.created)}
              </span>
              <span className="num flex-none">
                {run.figures.all?.net_profit == null ? "–" : moneyText(run.figures.all.net_profit)}
              </span>
            </button>
            <button
              type="button"
              className="flex-none cursor-pointer text-note text-soft hover:text-loss hover:underline"
              aria-label={`Delete run ${run.number}`}
              onClick={() => onDelete(run)}
            >
              delete
            </button>
          </li>
        ))}
      </ul>
      <TakenAway kind="run" />
    </>
  );
}
