import { useQuery } from "@tanstack/react-query";
import type { AxisCurve, FigureInfo } from "@/api";
import { Loading, Trouble } from "@/ui";
import type { Grid } from "../model";
import { curvesQuery, type Seen } from "../queries";
import { SoundingLine } from "./SoundingLine";

interface Props {
  seen: Seen;
  point: number;
  info: FigureInfo | undefined;
  onChoose: (number: number) => void;
  onOpen: (number: number) => void;
}

/** Each axis alone, through one run: what a step to either side does. */
export function Curves({ seen, point, info, onChoose, onOpen }: Props) {
  const found = useQuery(curvesQuery(seen, point));
  if (found.error) return <Trouble error={found.error.message} />;
  if (!found.data) return <Loading what="Reading the curves" />;
  // Those through the run before stay, and the hand on them, until these are read.
  const shown = found.data.filter((curve) => curve.values.length > 1);
  return (
    <div
      className="grid h-full gap-2"
      aria-busy={found.isPlaceholderData}
      style={{ gridTemplateColumns: shown.length > 2 ? "1fr 1fr" : "1fr", gridAutoRows: "minmax(180px, 1fr)" }}
    >
      {shown.map((curve) => (
        <SoundingLine
          key={curve.name}
          grid={lineOf(curve)}
          info={info}
          plateau={null}
          rocks={[]}
          chosen={point}
          onChoose={onChoose}
          onOpen={onOpen}
        />
      ))}
    </div>
  );
}

function lineOf(curve: AxisCurve): Grid {
  return {
    xName: curve.name,
    yName: "",
    xValues: curve.values,
    yValues: [""],
    values: curve.points.map((spot) => spot?.value ?? null),
    scores: curve.points.map((spot) => spot?.score ?? null),
    numbers: curve.points.map((spot) => spot?.number ?? null),
  };
}
