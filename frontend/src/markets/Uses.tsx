import { useQuery } from "@tanstack/react-query";
import { dependsQuery, type Market } from "@/api";
import { isBuildable, TIMEFRAMES } from "@/setup";
import { plain } from "@/ui";

/** What there is of a market, what is built of it, and who would miss it. */
export function Uses({ market }: { market: Market }) {
  const depends = useQuery(dependsQuery("market", market.symbol));
  const stored = market.bars.map((bars) => bars.timeframe);
  const built = TIMEFRAMES.filter((timeframe) => !stored.includes(timeframe) && isBuildable(market, timeframe));
  return (
    <section aria-label="What there is and who uses it" className="mt-4">
      <h2>What there is, and who uses it</h2>
      <p>
        Stored are{" "}
        {market.bars.map((bars, place) => (
          <span key={bars.timeframe}>
            {place > 0 && ", "}
            <b className="num">{plain(bars.rows, 0)}</b> bars of <b className="num">{bars.timeframe}</b> (version{" "}
            {bars.version})
          </span>
        ))}
        {built.length > 0 && (
          <>
            ; built of them: <span className="num">{built.join(", ")}</span>
          </>
        )}
        .
      </p>
      {depends.data?.sentences.length === 0 && (
        <p className="text-soft">No script names it, no basket holds it, no trial or kept run is of it.</p>
      )}
      <ul className="text-note text-soft">
        {depends.data?.sentences.map((sentence) => (
          <li key={sentence} className="first-letter:uppercase">
            {sentence}.
          </li>
        ))}
      </ul>
    </section>
  );
}
