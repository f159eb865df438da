import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { ResampleKind, Setup } from "@/api";
import { Loading, NumberField, Picker, plain, Trouble } from "@/ui";
import { Fan } from "./Fan";
import { Measures } from "./Measures";
import { resampleQuery, type Drawing } from "./queries";

const KINDS: { value: ResampleKind; label: string }[] = [
  { value: "bootstrap", label: "drawn again, with repeats" },
  { value: "blocks", label: "drawn again in stretches" },
  { value: "shuffle", label: "the same in another order" },
  { value: "skip", label: "some left out" },
  { value: "shift", label: "each moved down a little" },
];

/** The run's trades drawn anew a thousand times: where equity goes, how the results lie, and where the run stands among them. */
export function Resampling({ setup }: { setup: Setup }) {
  const [drawing, setDrawing] = useState<Drawing>({ kind: "bootstrap", share: 0.1, block: 10, samples: 1000, seed: 1 });
  const found = useQuery(resampleQuery(setup, drawing));
  return (
    <section aria-label="Resampling" className="border-b border-line py-4">
      <h2 className="text-base">
        Its trades,{" "}
        <Picker
          label="How the trades are drawn"
          value={drawing.kind}
          options={KINDS}
          onChange={(kind) => setDrawing({ ...drawing, kind: kind as ResampleKind })}
        />
        <Setting drawing={drawing} onChange={setDrawing} />,{" "}
        <NumberField
          least={1}
          className="picker w-16"
          label="Samples"
          value={drawing.samples}
          most={20_000}
          onChange={(samples) => setDrawing({ ...drawing, samples })}
        />{" "}
        times, seed{" "}
        <NumberField
          least={1}
          className="picker w-16"
          label="Seed"
          value={drawing.seed}
          most={999_999}
          onChange={(seed) => setDrawing({ ...drawing, seed })}
        />
      </h2>
      {found.isPending && <Loading what="Drawing" />}
      {found.error && <Trouble error={found.error.message} />}
      {found.data && (
        <div className="mt-2 flex flex-wrap items-start gap-6">
          <figure className="min-w-[280px] flex-1">
            <Fan found={found.data} />
            <figcaption className="text-small text-soft">
              Equity after each trade: the line is the run, dashed the middle of the samples, dark half of them, light
              nine in ten.
            </figcaption>
          </figure>
          <div>
            <Measures found={found.data} of="of the samples" />
            <p className="mt-2 max-w-xl text-soft">
              The plumb line is the run, the dashed one the middle of the samples.{" "}
              {plain((found.data.measures.ruined?.mean ?? 0) * 100, 1)} % of them were ruined. Drawdowns are counted at
              the ends of trades here, so the run&apos;s own is not the figure above.
              {found.data.compounds
                ? " Size follows equity: each trade's result by the equity before it is drawn, and equity grows by those."
                : " Results in money are drawn, as size does not follow equity, or equity was at or below 0 once."}{" "}
              Below each percentile stands where it lies with 95 %, as so many samples tell.
            </p>
          </div>
        </div>
      )}
    </section>
  );
}

/** What of the drawing can be set: how much is left out or lost, how long stretches are. */
function Setting({ drawing, onChange }: { drawing: Drawing; onChange: (drawing: Drawing) => void }) {
  if (drawing.kind === "blocks")
    return (
      <>
        {" "}
        of{" "}
        {
          <NumberField
            least={1}
            className="picker w-16"
            label="Trades in a stretch"
            value={drawing.block}
            most={10_000}
            onChange={(block) => onChange({ ...drawing, block })}
          />
        }{" "}
        trades on average
      </>
    );
  if (drawing.kind !== "skip" && drawing.kind !== "shift") return null;
  const share = (
    <NumberField
      least={1}
      className="picker w-16"
      label={drawing.kind === "skip" ? "Share left out" : "Share lost"}
      value={Math.round(drawing.share * 100)}
      most={100}
      onChange={(percent) => onChange({ ...drawing, share: percent / 100 })}
    />
  );
  return drawing.kind === "skip" ? <>, {share} % of them</> : <>, by {share} % of a trade on average</>;
}
