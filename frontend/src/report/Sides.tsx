import { Fragment } from "react";
import type { FigureInfo, Report } from "@/api";
import { figureText, moneyTone } from "@/ui";
import { GROUPS } from "./model";

const SIDES = ["all", "long", "short"] as const;

/** All figures as all, long and short, in groups, each with its definition. */
export function Sides({ report, figures }: { report: Report; figures: FigureInfo[] }) {
  return (
    <table className="report-part w-full text-note" data-testid="sides">
      <thead>
        <tr>
          <td />
          {SIDES.map((side) => (
            <th
              key={side}
              scope="col"
              className={`text-right ${side === "long" ? "text-long" : side === "short" ? "text-short" : ""}`}
            >
              {side}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {GROUPS.map((group) => (
          <Fragment key={group}>
            <tr>
              <th
                scope="rowgroup"
                colSpan={4}
                className="border-b border-line pt-1 text-left font-normal text-soft italic"
              >
                {group}
              </th>
            </tr>
            {figures
              .filter((figure) => figure.group === group)
              .map((figure) => (
                <tr key={figure.key} data-figure={figure.key}>
                  <th scope="row" className="text-left font-normal" title={figure.meaning}>
                    {figure.name}
                  </th>
                  {SIDES.map((side) => {
                    const value = report.figures[side]?.[figure.key];
                    const isResult = ["net_profit", "return", "largest_loss", "average_trade"].includes(figure.key);
                    return (
                      <td
                        key={side}
                        className={`num text-right whitespace-nowrap ${side === "all" ? "font-semibold" : ""} ${isResult ? moneyTone(value) : ""}`}
                      >
                        {figureText(figure, value)}
                      </td>
                    );
                  })}
                </tr>
              ))}
          </Fragment>
        ))}
      </tbody>
    </table>
  );
}
