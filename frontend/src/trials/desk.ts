import type { ReactNode } from "react";
import type { FigureInfo, Market, Setup, SetupState, Trial, Varying } from "@/api";
import type { Face, TrialsState } from "./model";

/** What stands in the first line of every face of the Trials place. */
export interface Head {
  title: string;
  face: Face;
  /** “Harbour swell v7”, “KELP” and “15m”, as pickers. */
  script: ReactNode;
  market: ReactNode;
  timeframe: ReactNode;
  /** Figures to look for, as a picker offers them. */
  objectives: { value: string; label: string }[];
  onFace: (face: Face) => void;
}

/** What every face of the Trials place is given. */
export interface DeskProps {
  head: Head;
  state: TrialsState;
  setup: Setup;
  varying: Varying[];
  figures: FigureInfo[];
  markets: Market[];
  /** The saved version that a trial ran. */
  originOf: (trial: Trial) => { script: string; version?: number };
  onState: (state: TrialsState) => void;
  onOpen: (state: SetupState) => void;
}
