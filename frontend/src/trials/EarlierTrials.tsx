import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { TrialOrder } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { plain } from "@/ui";
import { SIGNAL } from "./model";
import { trialsQuery } from "./queries";

/** The trials of one kind that were begun before, newest first. */
export function EarlierTrials({
  kind,
  number,
  onChoose,
  onGone,
}: {
  kind: TrialOrder["kind"];
  number: number | undefined;
  onChoose: (number: number) => void;
  onGone: () => void;
}) {
  const earlier = useQuery(trialsQuery);
  const shown = (earlier.data ?? []).filter((item) => item.kind === kind).slice(0, 12);
  const [leaving, setLeaving] = useState<Removed | null>(null);
  if (shown.length === 0) return <TakenAway kind="trial" />;
  return (
    <>
      <h2 className="mt-5 mb-1">Earlier</h2>
      <ul>
        {shown.map((item) => (
          <li key={item.id} className="flex items-baseline gap-1 border-b border-line">
            <button
              type="button"
              className={`min-w-0 flex-1 cursor-pointer py-1 text-left ${item.id === number ? "font-semibold" : "text-soft hover:text-base-content"}`}
              onClick={() => onChoose(item.id)}
            >
              <span className="num">
                {item.id}: {item.axes.map((name) => (name === SIGNAL ? "entries" : name)).join(" × ")}
              </span>{" "}
              of {item.title} on {item.axes.includes("market") ? "several markets" : item.market}, {plain(item.done, 0)}{" "}
              of {plain(item.total, 0)} runs
            </button>
            <button
              type="button"
              className="flex-none cursor-pointer text-note text-soft hover:text-loss hover:underline"
              aria-label={`Delete trial ${item.id}`}
              onClick={() => setLeaving({ kind: "trial", name: String(item.id), called: `trial ${item.id}` })}
            >
              delete
            </button>
          </li>
        ))}
      </ul>
      <TakenAway kind="trial" />
      {leaving && (
        <RemovalDialog
          what={leaving}
          onClose={() => setLeaving(null)}
          onGone={() => leaving.name === String(number) && onGone()}
        />
      )}
    </>
  );
}
