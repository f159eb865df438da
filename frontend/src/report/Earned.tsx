import { scaleLinear } from "d3-scale";
import type { Report } from "@/api";
import { moneyText, signed } from "@/ui";
import { Section } from "./Section";

/** Trades in groups: the mean result of each as a dot with its 95 % band; bold where 0 lies outside. */
export function Earned({ report }: { report: Report }) {
  const ends = report.earned.flatMap((by) => by.groups.flatMap((group) => [group.mean ?? 0]));
  const reach = Math.max(...ends.map(Math.abs), 1e-9) * 1.3;
  const x = scaleLinear([-reach, reach], [2, 58]).clamp(true);
  const isR = report.unit === "R";
  return (
    <Section
      name="Where it earned"
      said={`mean result${isR ? " in R" : ", money"}, its 95 % band; bold leaves 0 outside, as one of twenty does by luck`}
    >
      <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
        {report.earned.map((by) => (
          <table key={by.by} className="report-part min-w-[190px] flex-1 text-note" data-by={by.by}>
            <caption className="text-left text-soft italic">by {by.by}</caption>
            <tbody>
              {by.groups.map((group) => {
                const isSure = group.low !== null && group.high !== null && (group.low > 0 || group.high < 0);
                return (
                  <tr
                    key={group.name}
                    className={isSure ? "font-semibold" : ""}
                    title={`${group.trades} trades, net ${moneyText(group.net_profit)}`}
                  >
                    <th scope="row" className="max-w-[130px] truncate text-left" style={{ fontWeight: "inherit" }}>
                      {group.name}
                    </th>
                    <td className="num px-1 text-right text-soft">{group.trades}×</td>
                    <td className="w-[60px]">
                      {group.mean !== null && (
                        <svg viewBox="0 0 60 12" className="block h-3 w-[60px]" aria-hidden>
                          <line x1={x(0)} x2={x(0)} y1="0" y2="12" stroke="var(--soft)" strokeWidth="0.7" />
                          <line
                            x1={x(group.low!)}
                            x2={x(group.high!)}
                            y1="6"
                            y2="6"
                            stroke="var(--long)"
                            strokeWidth="1.2"
                          />
                          <circle cx={x(group.mean)} cy="6" r="2.4" fill="var(--ink)" />
                        </svg>
                      )}
                    </td>
                    <td className="num pl-1 text-right whitespace-nowrap">
                      {group.mean === null ? (
                        <span className="font-sans text-soft italic">too few</span>
                      ) : (
                        signed(group.mean, isR || Math.abs(group.mean) < 10 ? 2 : 0)
                      )}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        ))}
      </div>
    </Section>
  );
}
