import { useEffect, useRef } from "react";
import type { FigureInfo, KeptRun, Run } from "@/api";
import { difference, figureText } from "@/ui";
import { OverChart } from "./OverChart";

interface Props {
  run: Run;
  figures: FigureInfo[];
  pinned: KeptRun | null;
  /** Show what a figure comes from on the chart. */
  onTrade: (row: number) => void;
  onMoment: (moment: number) => void;
  onClose: () => void;
}

const SIDES = ["all", "long", "short"] as const;

/** All figures as all, long and short, each with its definition, beside the pinned run's; Escape goes back to the chart. */
export function FiguresSheet({ run, figures, pinned, onTrade, onMoment, onClose }: Props) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => host.current?.focus(), []);
  const evidence = evidenceOf(run);
  const show = (key: string) => {
    const found = evidence[key];
    if (!found) return;
    if ("trade" in found) onTrade(found.trade);
    else onMoment(found.moment);
    onClose();
  };
  return (
    <OverChart
      label="All figures"
      testId="figures-sheet"
      what="the figures"
      onClose={onClose}
      head={
        <>
          <h2>All figures</h2>
          <span className="mr-auto text-note text-brass">
            {pinned && `beside run ${pinned.number}, pinned: its figure and the difference`}
          </span>
        </>
      }
    >
      <div ref={host} tabIndex={0} role="region" aria-label="Figures" className="min-h-0 flex-1 overflow-auto">
        <table className="w-full text-note">
          <thead className="sticky top-0 bg-base-100 text-soft">
            <tr>
              <th scope="col" className="border-b border-line px-3 py-1 text-left font-normal">
                Figure
              </th>
              {SIDES.map((side) => (
                <th
                  key={side}
                  scope="col"
                  colSpan={pinned ? 2 : 1}
                  className={`border-b border-line px-3 py-1 text-right font-normal ${side === "long" ? "text-long" : side === "short" ? "text-short" : ""}`}
                >
                  {side}
                </th>
              ))}
              <th scope="col" className="border-b border-line px-3 py-1 text-left font-normal">
                What it is
              </th>
            </tr>
          </thead>
          <tbody>
            {figures.map((figure) => (
              <tr key={figure.key} data-row={figure.key}>
                <th scope="row" className="border-b border-line px-3 py-[2px] text-left font-normal whitespace-nowrap">
                  {evidence[figure.key] ? (
                    <button
                      type="button"
                      className="cursor-pointer underline decoration-dotted hover:decoration-solid"
                      title="Show it on the chart"
                      onClick={() => show(figure.key)}
                    >
                      {figure.name}
                    </button>
                  ) : (
                    figure.name
                  )}
                </th>
                {SIDES.map((side) => {
                  const change = difference(figure, run.figures[side][figure.key], pinned?.figures[side]?.[figure.key]);
                  return [
                    <td key={side} className="num border-b border-line px-3 text-right font-semibold whitespace-nowrap">
                      {figureText(figure, run.figures[side][figure.key])}
                    </td>,
                    pinned && (
                      <td
                        key={`${side} pinned`}
                        className="num border-b border-line pr-3 text-right text-small whitespace-nowrap text-soft"
                      >
                        {figureText(figure, pinned.figures[side]?.[figure.key])}{" "}
                        <span
                          className={!change || change.better === null ? "" : change.better ? "text-gain" : "text-loss"}
                        >
                          {change?.text ?? ""}
                        </span>
                      </td>
                    ),
                  ];
                })}
                <td className="border-b border-line px-3 text-note text-soft">{figure.meaning}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </OverChart>
  );
}

/** Where on the chart a figure comes from: a trade, or a moment. */
function evidenceOf(run: Run): Record<string, { trade: number } | { moment: number }> {
  const found: Record<string, { trade: number } | { moment: number }> = {};
  const { net } = run.trades;
  if (net.length > 0) {
    const best = net.reduce((at, value, row) => (value > net[at]! ? row : at), 0);
    const worst = net.reduce((at, value, row) => (value < net[at]! ? row : at), 0);
    if (net[best]! > 0) found.largest_win = { trade: best };
    if (net[worst]! < 0) found.largest_loss = { trade: worst };
    const { equity, time } = run.overview;
    let [peak, deepest, at] = [-Infinity, 0, 0];
    equity.forEach((value, place) => {
      peak = Math.max(peak, value);
      if (peak - value > deepest) [deepest, at] = [peak - value, place];
    });
    if (deepest > 0) for (const key of ["max_drawdown", "max_drawdown_percent"]) found[key] = { moment: time[at]! };
  }
  return found;
}
