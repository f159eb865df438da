import { useQuery } from "@tanstack/react-query";
import { useState, type RefObject } from "react";
import { logQuery, placeOf, type KeptRun, type LoggedRun } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { dateText, Loading, moneyText, PopOver, Trouble } from "@/ui";

interface Props {
  pinned: KeptRun | null;
  buttonRef: RefObject<HTMLButtonElement | null>;
  onPin: (number: number) => void;
  onUnpin: () => void;
}

/** The run that figures are seen against, and the others that were kept: to see against another, or to delete one. */
export function PinnedRuns({ pinned, buttonRef, onPin, onUnpin }: Props) {
  const [leaving, setLeaving] = useState<Removed | null>(null);
  return (
    <>
      <PopOver
        face={pinned ? `against run ${pinned.number}` : "compare"}
        title={
          pinned
            ? `${pinned.title} on ${placeOf(pinned.setup)} at ${pinned.setup.timeframe}; press for the other kept runs (Alt P)`
            : "See the figures against those of a kept run (Alt P)"
        }
        className={`cursor-pointer text-note whitespace-nowrap hover:underline ${pinned ? "text-brass" : "text-soft"}`}
        buttonRef={buttonRef}
        side="right"
      >
        {(close) => (
          <span className="block w-96 p-2">
            <Kept
              pinned={pinned?.number ?? null}
              onPin={(number) => {
                onPin(number);
                close();
              }}
              onDelete={(run) => {
                setLeaving({ kind: "run", name: String(run.number), called: `run ${run.number}` });
                close();
              }}
            />
            {pinned && (
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
            )}
          </span>
        )}
      </PopOver>
      {leaving && (
        <RemovalDialog
          what={leaving}
          onClose={() => setLeaving(null)}
          onGone={() => leaving.name === String(pinned?.number) && onUnpin()}
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
  pinned: number | null;
  onPin: (number: number) => void;
  onDelete: (run: LoggedRun) => void;
}) {
  const runs = useQuery(logQuery({}, 100));
  if (runs.isPending) return <Loading what="Reading the kept runs" />;
  if (runs.error) return <Trouble error={runs.error.message} />;
  return (
    <>
      {runs.data.runs.length === 0 && <p className="p-2 text-soft">No run is kept yet: Keep it first (Alt K).</p>}
      <ul aria-label="Kept runs" className="block max-h-72 overflow-auto">
        {runs.data.runs.map((run) => (
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
                {run.title || "untitled"} on {run.place} {run.timeframe}, {dateText(run.created)}
              </span>
              <span className="num flex-none">{run.net_profit === null ? "–" : moneyText(run.net_profit)}</span>
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
