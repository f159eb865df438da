import { scaleLinear } from "d3-scale";
import type { Report } from "@/api";
import { plain, PlumbLines, roundLevels } from "@/ui";
import { levelText, resultText } from "./model";
import { Section } from "./Section";

const [WIDTH, HEIGHT, BOTTOM] = [460, 150, 126];

/** How results are spread, and how often wins and losses came in a row. */
export function Spread({ report }: { report: Report }) {
  const { columns, mean, median, streaks } = report.spread;
  if (columns.length === 0 || mean === null || median === null) return null;
  const x = scaleLinear([columns[0]!.low, columns.at(-1)!.high], [10, WIDTH - 10]);
  const most = Math.max(...columns.map((column) => column.count));
  const y = scaleLinear([0, most], [BOTTOM, 8]);
  const unit = report.unit;
  return (
    <Section
      name="Results"
      said={
        <>
          mean <span className="num">{resultText(unit, mean)}</span>, the middle one{" "}
          <span className="num">{resultText(unit, median)}</span>
        </>
      }
    >
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="narrow-plot block h-auto w-full"
        role="img"
        aria-label={`Results of trades: mean ${resultText(unit, mean)}, middle ${resultText(unit, median)}`}
      >
        <PlumbLines
          scale={x}
          levels={roundLevels(x.domain(), 8)}
          text={(level) => (unit === "R" ? plain(level, level % 1 ? 1 : 0) : levelText(unit, level))}
          from={8}
          to={BOTTOM}
        />
        {columns.map((column) => (
          <rect
            key={column.low}
            x={x(column.low) + 0.5}
            width={Math.max(0.5, x(column.high) - x(column.low) - 1)}
            y={y(column.count)}
            height={BOTTOM - y(column.count)}
            fill={column.low >= 0 ? "var(--gain)" : "var(--loss)"}
            opacity="0.8"
          >
            <title>{`${column.count} from ${resultText(unit, column.low)} to ${resultText(unit, column.high)}`}</title>
          </rect>
        ))}
        <line x1={x(mean)} x2={x(mean)} y1="4" y2={BOTTOM} stroke="var(--ink)" strokeDasharray="4 2" />
      </svg>
      <table className="num mt-1 text-note">
        <tbody>
          {(["won", "lost"] as const).map((kind) => (
            <tr key={kind}>
              <th scope="row" className="pr-3 text-left font-sans font-normal text-soft">
                in a row {kind === "won" ? "won" : "not won"}
              </th>
              {streaks.map((streak) => (
                <td key={streak.length} className="px-2 text-right">
                  {streak[kind] > 0 && (
                    <>
                      {streak.length} <span className="text-soft">{streak[kind]}×</span>
                    </>
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}
