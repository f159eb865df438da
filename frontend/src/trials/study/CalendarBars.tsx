import { plain, scaleAbout, signed } from "@/ui";

interface Bar {
  name: string;
  count: number;
  middle: number | null;
  low: number | null;
  high: number | null;
  /** What it is seen against. */
  usual: number | null;
  standsOut: boolean;
}

const WIDTH = 210;

/** Mean moves with their bands, a line each on one scale, each against what is usual. */
export function CalendarBars({ rows, unit }: { rows: Bar[]; unit: string }) {
  const x = scaleAbout(
    rows.flatMap((row) => [row.low, row.high]),
    [4, WIDTH - 4],
  );
  return (
    <table className="num w-full text-note">
      <thead className="sr-only">
        <tr>
          {["when", "times", "mean move and band", "mean move"].map((name) => (
            <th key={name} scope="col">
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => {
          const tells = row.standsOut;
          const said =
            row.low === null || row.high === null
              ? "too few"
              : `95 % band ${signed(row.low, 2)} to ${signed(row.high, 2)} ${unit}; usual ${signed(row.usual ?? 0, 2)}`;
          return (
            <tr key={row.name} className="border-b border-line" data-when={row.name}>
              <th scope="row" className={`pr-2 text-left font-sans ${tells ? "font-semibold" : "font-normal"}`}>
                {row.name}
              </th>
              <td className="pr-2 text-right text-soft">{plain(row.count, 0)}×</td>
              <td style={{ width: WIDTH }}>
                <svg width={WIDTH} height={16} className="block" role="img" aria-label={said}>
                  <title>{said}</title>
                  <line x1={WIDTH / 2} x2={WIDTH / 2} y1={0} y2={16} stroke="var(--soft)" />
                  {row.low !== null && row.high !== null && (
                    <line
                      x1={x(row.low)}
                      x2={x(row.high)}
                      y1={8}
                      y2={8}
                      stroke="var(--deep)"
                      strokeWidth={tells ? 4 : 2}
                      opacity={tells ? 0.9 : 0.4}
                    />
                  )}
                  {row.usual !== null && (
                    <line x1={x(row.usual)} x2={x(row.usual)} y1={2} y2={14} stroke="var(--brass)" strokeWidth={1.5} />
                  )}
                  {row.middle !== null && <circle cx={x(row.middle)} cy={8} r={3} fill="var(--ink)" />}
                </svg>
              </td>
              <td className={`pl-2 text-right ${tells ? "font-semibold" : ""}`}>
                {row.middle === null ? "too few" : signed(row.middle, 2)}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
