import { useQuery } from "@tanstack/react-query";
import { plain } from "@/ui";
import { deflationQuery, type Seen } from "./queries";

/** What the best run is worth, after all that was ever tried with the script. */
export function Tried({ seen }: { seen: Seen }) {
  const found = useQuery(deflationQuery(seen));
  if (!found.data) return null;
  const worth = found.data.deflation;
  return (
    <section aria-label="Tried so far" className="mb-4" data-testid="tried">
      <h2 className="mb-1">Tried so far</h2>
      <p className="text-soft">
        <b className="num text-base-content">{plain(found.data.tries_of_script, 0)}</b> settings of this script tried, kept runs included.
      </p>
      {worth ? (
        <>
          <p className="mt-1 flex items-baseline gap-2">
            <b className={`num text-[20px] whitespace-nowrap ${worth.probability < 0.5 ? "text-loss" : worth.probability < 0.95 ? "text-brass" : "text-gain"}`}>{plain((1 - worth.probability) * 100, 1)} %</b>
            <span className="text-soft">of histories show as much as the best by luck</span>
          </p>
          <p className="mt-1 text-[12px] text-soft">{worth.sentence}</p>
        </>
      ) : (
        <p className="text-soft">Too few days or runs to weigh the best one.</p>
      )}
    </section>
  );
}
