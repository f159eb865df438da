import { useQuery } from "@tanstack/react-query";
import { deflationQuery, type Seen } from "./queries";

/** What the best run is worth, after all that was ever tried with the script. */
export function Tried({ seen, isTogether }: { seen: Seen; isTogether: boolean }) {
  const found = useQuery(deflationQuery(seen));
  if (!found.data) return null;
  const { luck, deflation, overfitting } = found.data;
  const share = luck?.by_luck ?? null;
  return (
    <section aria-label="Tried so far" className="mb-4" data-testid="tried">
      <h2 className="mb-1">Tried so far</h2>
      {luck && share !== null ? (
        <>
          <p className="flex items-baseline gap-2">
            <b
              className={`num text-title whitespace-nowrap ${share > 0.2 ? "text-loss" : share > 0.05 ? "text-brass" : "text-gain"}`}
            >
              {luck.odds}
            </b>
            <span className="text-soft">histories show one this good by luck alone</span>
          </p>
          <p className="mt-1 text-note text-soft">{luck.sentence}</p>
          <details className="mt-1 text-note">
            <summary className="cursor-pointer text-soft">The best of all tries</summary>
            <ol className="mt-1">
              {luck.best.map((tried, place) => (
                <li key={place} className="flex justify-between gap-3 py-0.5">
                  <span className="min-w-0 break-words">{tried.label}</span>
                  <span className="num shrink-0 text-soft">{tried.odds}</span>
                </li>
              ))}
            </ol>
          </details>
        </>
      ) : (
        <p className="text-soft">
          {luck
            ? luck.sentence
            : isTogether
              ? "Runs of a basket are not counted as tries of the script: what is best of them is not weighed."
              : "Too few days or runs to weigh the best one."}
        </p>
      )}
      {deflation && <p className="mt-2 text-note text-soft">{deflation.sentence}</p>}
      {overfitting && <p className="mt-2 text-note text-soft">{overfitting.sentence}</p>}
    </section>
  );
}
