import { useQuery } from "@tanstack/react-query";
import type { TrialOrder } from "@/api";
import { plain } from "@/ui";
import { SIGNAL } from "./model";
import { trialsQuery } from "./queries";

/** The trials of one kind that were begun before, newest first. */
export function EarlierTrials({ kind, number, onChoose }: { kind: TrialOrder["kind"]; number: number | undefined; onChoose: (number: number) => void }) {
  const earlier = useQuery(trialsQuery);
  const shown = (earlier.data ?? []).filter((item) => item.kind === kind).slice(0, 12);
  if (shown.length === 0) return null;
  return (
    <>
      <h2 className="mt-5 mb-1">Earlier</h2>
      <ul>
        {shown.map((item) => (
          <li key={item.id}>
            <button type="button" className={`w-full cursor-pointer border-b border-line py-1 text-left ${item.id === number ? "font-semibold" : "text-soft hover:text-base-content"}`} onClick={() => onChoose(item.id)}>
              <span className="num">
                {item.id}: {item.axes.map((name) => (name === SIGNAL ? "entries" : name)).join(" × ")}
              </span>{" "}
              of {item.title} on {item.market}, {plain(item.done, 0)} of {plain(item.total, 0)} runs
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
