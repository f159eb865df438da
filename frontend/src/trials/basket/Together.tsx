import { placeOf, type Basket, type FigureInfo, type KeptRun } from "@/api";
import { figureText, signed } from "@/ui";
import { EquityLines, LineKey, type Line } from "../EquityLines";

const SHOWN = [
  "net_profit",
  "return",
  "max_drawdown_percent",
  "return_over_drawdown",
  "profit_factor",
  "trades",
  "sharpe",
  "costs_share",
  "alpha",
  "beta",
];

/** The basket as one run: what speaks against it, its equity beside holding, its figures beside a kept run's. */
export function Together({
  before,
  after,
  kept,
  onUnpin,
  figures,
  held,
}: {
  before: Basket;
  after: Basket | undefined;
  kept: KeptRun | null;
  onUnpin: () => void;
  figures: FigureInfo[];
  held: string;
}) {
  const shown = SHOWN.map((key) => figures.find((figure) => figure.key === key)!);
  const now = after ?? before;
  const lines: Line[] = [
    { name: after ? "now" : "the basket", times: now.times, values: now.equity, stroke: "var(--deep)" },
    ...(after
      ? [{ name: "before", times: before.times, values: before.equity, stroke: "var(--brass)", dash: "5 4" }]
      : []),
    { name: `holding ${held}`, times: now.times, values: now.holding, stroke: "var(--soft)", dash: "2 3" },
  ];
  return (
    <>
      {now.findings.map((finding) => (
        <p
          key={finding.code + finding.message}
          className="mb-2 border-l-2 border-brass pl-2"
          data-finding={finding.code}
        >
          {finding.message}
        </p>
      ))}
      <LineKey lines={lines} />
      <div className="h-[190px]">
        <EquityLines lines={lines} label="Equity" />
      </div>
      <table className="num mt-2 w-full text-note" data-testid="together">
        <thead>
          <tr className="border-b border-line font-sans text-soft">
            {["all together", ...(kept ? [`run ${kept.number}`] : []), ...(after ? ["before", "now"] : ["worth"])].map(
              (name, place) => (
                <th key={place} scope="col" className={`py-1 font-normal ${place === 0 ? "text-left" : "text-right"}`}>
                  {name}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {shown.map((figure) => (
            <tr key={figure.key} className="border-b border-line" data-figure={figure.key}>
              <th scope="row" className="py-[2px] text-left font-sans font-normal text-soft" title={figure.meaning}>
                {figure.name}
              </th>
              {kept && <td className="text-right text-brass">{figureText(figure, kept.figures.all?.[figure.key])}</td>}
              <td className="text-right font-semibold">{figureText(figure, before.figures.all?.[figure.key])}</td>
              {after && (
                <td className="text-right font-semibold">{figureText(figure, after.figures.all?.[figure.key])}</td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {kept && (
        <p className="mt-2 text-brass">
          Run {kept.number} is {kept.title || "untitled"} on {placeOf(kept.setup)} at {kept.setup.timeframe}.{" "}
          <button type="button" className="cursor-pointer underline" onClick={onUnpin}>
            Against none
          </button>
        </p>
      )}
      <p className="mt-2 text-soft" data-testid="held">
        Holding {held}: {signed((now.holding.at(-1) ?? now.capital) - now.capital, 0)} on the same capital. Alpha and
        beta are against it.
      </p>
    </>
  );
}
