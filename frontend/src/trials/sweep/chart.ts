import type { FigureInfo } from "@/api";
import type { Grid } from "../model";

/** What every drawing of a sweep is given: the places, the landmarks by point, the run that is chosen. */
export interface ChartProps {
  grid: Grid;
  info: FigureInfo | undefined;
  plateau: number | null;
  rocks: number[];
  chosen: number | null;
  onChoose: (number: number) => void;
  onOpen: (number: number) => void;
}
