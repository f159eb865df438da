import { useQuery } from "@tanstack/react-query";
import type { FigureInfo, Surface } from "@/api";
import { Loading, plain, Trouble } from "@/ui";
import { spanText } from "../model";
import { againstQuery, type Seen } from "../queries";
import { Scatter } from "../Scatter";

/** In sample against out of sample, a dot a run. */
export function InOut({
  seen,
  info,
  surface,
  chosen,
  onChoose,
}: {
  seen: Seen;
  info: FigureInfo | undefined;
  surface: Surface;
  chosen: number | null;
  onChoose: (number: number) => void;
}) {
  const found = useQuery(againstQuery(seen));
  if (found.error) return <Trouble error={found.error.message} />;
  if (!found.data) return <Loading what="Laying one beside the other" />;
  const [inside, outside] = found.data.parts;
  const rank = found.data.rank_correlation;
  return (
    <div className="flex h-full flex-col">
      <p className="pb-1" data-testid="rank-correlation">
        <b>
          {rank === null
            ? "Too few pairs to compare the two rankings."
            : `Rank correlation ${plain(rank, 2)}: ${carried(rank)}`}
        </b>{" "}
        <span className="text-soft">
          {plain(found.data.pairs, 0)} runs, {inside && spanText(inside)} against {outside && spanText(outside)}
        </span>
      </p>
      <div className="min-h-0 flex-1">
        <Scatter
          x={found.data.x}
          y={found.data.y}
          numbers={found.data.numbers}
          xInfo={info}
          yInfo={info}
          xName={`${info?.name ?? ""} in sample`}
          yName="out of sample"
          marks={[
            { number: surface.plateau, word: "plateau", tone: "var(--short)" },
            { number: surface.best, word: "highest", tone: "var(--loss)" },
          ]}
          chosen={chosen}
          onChoose={onChoose}
        />
      </div>
    </div>
  );
}

function carried(rank: number): string {
  if (rank < 0) return "what was best before was worse after.";
  return rank < 0.2
    ? "the ranking does not carry over."
    : rank < 0.5
      ? "some of the ranking carries over."
      : "the ranking carries over.";
}
