import type { ReactNode } from "react";
import type { FigureInfo, Market, Setup, Trial, Varying } from "@/api";
import type { Face, TrialsState } from "./model";

/** What stands in the first line of every face of the Trials place. */
export interface Head {
  title: string;
  face: Face;
  /** “Harbour swell v7”, “KELP” and “15m”, as pickers. */
  script: ReactNode;
  market: ReactNode;
  timeframe: ReactNode;
  /** Days, account, sides and the inputs that are not at their defaults. */
  conditions: ReactNode;
  /** Figures to look for, as a picker offers them. */
  objectives: { value: string; label: string }[];
  onFace: (face: Face) => void;
}

/** What every face of the Trials place is given. */
export interface DeskProps {
  head: Head;
  /** The script and its version, under which this desk keeps what was chosen on it. */
  of: string;
  state: TrialsState;
  setup: Setup;
  varying: Varying[];
  figures: FigureInfo[];
  markets: Market[];
  /** The saved version that a trial ran. */
  originOf: (trial: Trial) => { script: string; version?: number };
  onState: (state: TrialsState, isSame?: boolean) => void;
  onOpen: (state: TrialsState) => void;
  /** Let the basket follow a feed. */
  onPractise: (state: TrialsState) => void;
  /** Judge a run whole. */
  onReport: (state: TrialsState & { choose?: "neighbours"; objective?: string }) => void;
}
