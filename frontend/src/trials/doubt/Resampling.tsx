import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Distribution, Resampled, ResampleKind, Setup } from "@/api";
import { Loading, Picker, plain, signed, Trouble } from "@/ui";
import { Fan } from "./Fan";
import { resampleQuery, type Drawing } from "./queries";
import { Samples } from "./Samples";

const KINDS: { value: ResampleKind; label: string }[] = [
  { value: "bootstrap", label: "drawn again, with repeats" },
  { value: "blocks", label: "drawn again in stretches" },
  { value: "shuffle", label: "the same in another order" },
  { value: "skip", label: "some left out" },
  { value: "worsen", label: "each filled a little worse" },
];

const MEASURES = [
  { key: "net", name: "Final result", digits: 0, isSigned: true },
  { key: "drawdown", name: "Max drawdown", digits: 0 },
  { key: "over_drawdown", name: "Return / drawdown", digits: 2 },
  { key: "losing", name: "Longest losing run, trades", digits: 0 },
] as const;

/** The run's trades drawn anew a thousand times: where equity goes, how the results lie, and where the run stands among them. */
export function Resampling({ setup }: { setup: Setup }) {
  const [drawing, setDrawing] = useState<Drawing>({ kind: "bootstrap", share: 0.1, block: 10 });
  const found = useQuery(resampleQuery(setup, drawing));
  return (
    <section aria-label="Resampling" className="border-b border-line py-4">
      <h2 className="text-base">
        Its trades, <Picker label="How the trades are drawn" value={drawing.kind} options={KINDS} onChange={(kind) => setDrawing({ ...drawing, kind: kind as ResampleKind })} />
        <Setting drawing={drawing} onChange={setDrawing} />, a thousand times
      </h2>
      {found.isPending && <Loading what="Drawing" />}
      {found.error && <Trouble error={found.error.message} />}
      {found.data && (
        <div className="mt-2 flex flex-wrap items-start gap-8">
          <figure className="min-w-[380px] flex-1">
            <Fan found={found.data} />
            <figcaption className="text-[11.5px] text-soft">Equity after each trade: the line is the run, dashed the middle of the samples, dark half of them, light nine in ten.</figcaption>
          </figure>
          <div>
            <Measures found={found.data} />
            <p className="mt-2 max-w-xl text-soft">
              The plumb line is the run, the dashed one the middle of the samples. {plain((found.data.measures.ruined?.mean ?? 0) * 100, 1)} % of them were ruined. Drawdowns are counted at the ends of trades here, so the run&apos;s own is not the figure above.
            </p>
          </div>
        </div>
      )}
    </section>
  );
}

/** What of the drawing can be set: how much is left out or lost, how long stretches are. */
function Setting({ drawing, onChange }: { drawing: Drawing; onChange: (drawing: Drawing) => void }) {
  const field = (label: string, value: number, most: number, put: (value: number) => void) => (
    <input type="number" min={1} max={most} aria-label={label} className="picker num w-14" value={value} onChange={(event) => put(Math.min(most, Math.max(1, Math.floor(Number(event.target.value)))))} />
  );
  if (drawing.kind === "blocks") return <> of {field("Trades in a stretch", drawing.block, 10_000, (block) => onChange({ ...drawing, block }))} trades</>;
  if (drawing.kind !== "skip" && drawing.kind !== "worsen") return null;
  const share = field(drawing.kind === "skip" ? "Share left out" : "Share lost", Math.round(drawing.share * 100), 100, (percent) => onChange({ ...drawing, share: percent / 100 }));
  return drawing.kind === "skip" ? <>, {share} % of them</> : <>, by {share} % of a trade on average</>;
}

function Measures({ found }: { found: Resampled }) {
  return (
    <table className="num text-[12.5px]" data-testid="resampled">
      <thead>
        <tr className="border-b border-line font-sans text-soft italic">
          {["of the samples", "the run", "5 %", "half", "95 %", "worse than the run", "how they lie"].map((name, place) => (
            <th key={name} scope="col" className={`font-normal ${place === 0 ? "pr-4 text-left" : "px-2 text-right"}`}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {MEASURES.map((measure) => {
          const row = found.measures[measure.key];
          return row && <MeasureRow key={measure.key} measure={measure} row={row} worse={found.places[measure.key] ?? null} />;
        })}
      </tbody>
    </table>
  );
}

function MeasureRow({ measure, row, worse }: { measure: { key: string; name: string; digits: number; isSigned?: boolean }; row: Distribution; worse: number | null }) {
  const text = (value: number | null) => (value === null ? "–" : measure.isSigned ? signed(value, measure.digits) : plain(value, measure.digits));
  return (
    <tr className="border-b border-line" data-measure={measure.key}>
      <th scope="row" className="pr-4 text-left font-sans font-normal">
        {measure.name}
      </th>
      <td className="px-2 text-right font-semibold">{text(row.real)}</td>
      {[row.p5, row.p50, row.p95].map((value, place) => (
        <td key={place} className="px-2 text-right">
          {text(value)}
        </td>
      ))}
      <td className="px-2 text-right">{worse === null ? "–" : `${plain(worse * 100, 0)} %`}</td>
      <td className="py-1 pl-2">
        <Samples row={row} said={`${measure.name}: from ${text(row.edges[0] ?? null)} to ${text(row.edges.at(-1) ?? null)}, the middle ${text(row.p50)}, the run ${text(row.real)}`} />
      </td>
    </tr>
  );
}
