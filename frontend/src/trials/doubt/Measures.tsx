import type { Distribution } from "@/api";
import { plain, signed } from "@/ui";
import { Samples } from "./Samples";

const MEASURES = [
  { key: "net", name: "Final result", digits: 0, isSigned: true },
  { key: "drawdown", name: "Max drawdown", digits: 0 },
  { key: "over_drawdown", name: "Return / drawdown", digits: 2 },
  { key: "losing", name: "Longest losing run, trades", digits: 0 },
] as const;

interface Props {
  found: { measures: Record<string, Distribution>; places: Record<string, number> };
  /** What the rows are of: the samples, the histories. */
  of: string;
}

/** How each measure lies over samples of a run, and where the run stands among them. */
export function Measures({ found, of }: Props) {
  return (
    <table className="num text-note" data-testid="resampled">
      <thead>
        <tr className="border-b border-line font-sans text-soft italic">
          {[of, "the run", "5 %", "half", "95 %", "worse than the run", "how they lie"].map((name, place) => (
            <th
              key={name}
              scope="col"
              className={`font-normal ${place === 0 ? "pr-2 text-left" : "px-1.5 text-right"}`}
            >
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {MEASURES.map((measure) => {
          const row = found.measures[measure.key];
          return (
            row && (
              <MeasureRow key={measure.key} measure={measure} row={row} worse={found.places[measure.key] ?? null} />
            )
          );
        })}
      </tbody>
    </table>
  );
}

function MeasureRow({
  measure,
  row,
  worse,
}: {
  measure: { key: string; name: string; digits: number; isSigned?: boolean };
  row: Distribution;
  worse: number | null;
}) {
  const text = (value: number | null) =>
    value === null ? "–" : measure.isSigned ? signed(value, measure.digits) : plain(value, measure.digits);
  return (
    <tr className="border-b border-line" data-measure={measure.key}>
      <th scope="row" className="pr-2 text-left font-sans font-normal">
        {measure.name}
      </th>
      <td className="px-2 text-right font-semibold">{text(row.real)}</td>
      {(["p5", "p50", "p95"] as const).map((name) => (
        <td key={name} className="px-1.5 text-right">
          {text(row[name])}
          {row.sure[name] && (
            <span className="block text-mark leading-3 whitespace-nowrap text-soft">
              {text(row.sure[name][0] ?? null)} … {text(row.sure[name][1] ?? null)}
            </span>
          )}
        </td>
      ))}
      <td className="px-2 text-right">{worse === null ? "–" : `${plain(worse * 100, 0)} %`}</td>
      <td className="py-1 pl-2">
        <Samples
          row={row}
          said={`${measure.name}: from ${text(row.edges[0] ?? null)} to ${text(row.edges.at(-1) ?? null)}, the middle ${text(row.p50)}, the run ${text(row.real)}`}
        />
      </td>
    </tr>
  );
}
