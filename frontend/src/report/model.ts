import type { ReactNode } from "react";
import type { FigureInfo, Report, SetupState } from "@/api";
import { plain, signed } from "@/ui";

/** What the address holds of a report: a kept run, or a setup; what it is held against. */
export interface ReportState extends SetupState {
  run?: number;
  /** A walk-forward whose days outside are judged, and how its windows choose. */
  trial?: number;
  choose?: "neighbours";
  objective?: string;
  against?: string;
  markets?: string[];
  dearest?: number;
}

/** What cuts the market into stretches: a swing of so many percent of price, or of so many mean true ranges; sideways
 * goes what moves less than this share of its path. */
export interface Swings {
  percent: number;
  ranges: number;
  sideways: number;
}
export const USUAL_SWINGS: Swings = { percent: 10, ranges: 4, sideways: 1 / 3 };

/** What a report can be asked to do; on a saved page nothing can. */
export interface Acts {
  /** Show a stretch of time in the workbench, moments in seconds. */
  onShow?: (from: number, to: number) => void;
  /** What stretches are cut by, where that can be changed. */
  swings?: { value: Swings; onChange: (swings: Swings) => void };
  /** What tries a level in R for true. */
  tryIt?: (kind: "stop" | "target", level: number) => ReactNode;
}

/** A result in the unit of a report. */
export const resultText = (unit: Report["unit"], value: number) =>
  unit === "R" ? `${signed(value, 2)} R` : signed(value, Math.abs(value) < 10 ? 2 : 0);

/** Levels in the unit of a report, without a sign. */
export const levelText = (unit: Report["unit"], value: number) =>
  unit === "R" ? `${plain(value, 2)} R` : plain(value, Math.abs(value) < 10 ? 2 : 0);

export const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

export const GROUPS: FigureInfo["group"][] = ["result", "risk", "trades", "costs", "market"];

/** The part of a month's or a stretch's colour: how far towards the deepest tone it is. */
export const shade = (value: number, most: number) =>
  value === 0 || most === 0
    ? "transparent"
    : `color-mix(in oklab, var(--${value > 0 ? "gain" : "loss"}) ${Math.round(8 + (34 * Math.abs(value)) / most)}%, transparent)`;
