import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { tallyQuery } from "@/api";
import { dateText, LevelLines, Loading, plain, PlumbLines, roundLevels, Trouble } from "@/ui";

const [WIDTH, HEIGHT] = [260, 200];
const [LEFT, RIGHT, TOP, BOTTOM] = [40, 252, 8, 170];
const BY: Record<string, string> = {
  typed: "by hand",
  trials: "trials",
  "command line": "command line",
  earlier: "before it was told",
};

/** How many settings of a script were looked at, and the best of them beside what as many worthless ones would show. */
export function Tally({ title }: { title: string }) {
  const tally = useQuery(tallyQuery(title));
  if (tally.error) return <Trouble error={tally.error.message} />;
  if (!tally.data) return <Loading what="Counting" />;
  const { settings, steps, expected, by, sentence, begun } = tally.data;
  return (
    <section aria-label="The script's tally">
      <p>
        <b className="num text-title">{plain(settings, 0)}</b>
        <br />
        <span className="text-soft">settings looked at{begun && ` since ${dateText(begun)}`}</span>
      </p>
      {expected.length > 0 && <Course steps={steps} expected={expected} settings={settings} />}
      <p className="my-2">{sentence}</p>
      {settings > 0 && (
        <>
          <h3 className="mt-3">
            <b>Where they were looked at</b>
          </h3>
          <table className="w-full text-note">
            <tbody>
              {Object.entries(by).map(([who, count]) => (
                <tr key={who} className="border-b border-line">
                  <th scope="row" className="text-left font-normal text-soft">
                    {BY[who] ?? who}
                  </th>
                  <td className="num text-right">{plain(count, 0)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}

interface CourseProps {
  steps: { settings: number; sharpe: number }[];
  expected: { settings: number; mean: number; low: number; high: number }[];
  settings: number;
}

function Course({ steps, expected, settings }: CourseProps) {
  const x = scaleLinear([0, settings], [LEFT, RIGHT]);
  const ends = [0, ...steps.map((step) => step.sharpe), ...expected.flatMap((item) => [item.low, item.high])];
  const y = scaleLinear([Math.min(...ends), Math.max(...ends)], [BOTTOM, TOP]).nice();
  let path = "";
  steps.forEach((step, place) => {
    path += place === 0 ? `M${x(step.settings)} ${y(step.sharpe)}` : `H${x(step.settings)}V${y(step.sharpe)}`;
  });
  const band = [
    ...expected.map((item) => `${x(item.settings)},${y(item.high)}`),
    ...[...expected].reverse().map((item) => `${x(item.settings)},${y(item.low)}`),
  ];
  return (
    <figure className="my-2">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block h-auto w-full"
        role="img"
        aria-label="The best Sharpe of a day so far, by settings looked at"
      >
        <LevelLines
          scale={y}
          levels={roundLevels(y.domain(), 4)}
          text={(level) => plain(level, 2)}
          from={LEFT}
          to={RIGHT}
        />
        <PlumbLines
          scale={x}
          levels={roundLevels([0, settings], 4).filter(Number.isInteger)}
          text={(level) => plain(level, 0)}
          from={TOP}
          to={BOTTOM}
        />
        <polygon points={band.join(" ")} fill="color-mix(in oklab, var(--brass) 18%, transparent)" />
        <polyline
          points={expected.map((item) => `${x(item.settings)},${y(item.mean)}`).join(" ")}
          fill="none"
          stroke="var(--brass)"
          strokeDasharray="4 3"
        />
        <path d={`${path}H${RIGHT}`} fill="none" stroke="var(--ink)" strokeWidth="1.5" />
        <text
          x={(LEFT + RIGHT) / 2}
          y={HEIGHT - 2}
          fontSize="11"
          textAnchor="middle"
          fill="var(--soft)"
          fontStyle="italic"
        >
          settings looked at
        </text>
      </svg>
      <figcaption className="text-note text-soft">
        — best Sharpe of a day so far · <span className="text-brass">┄</span> the best of as many worthless, nine in ten
        inside the band
      </figcaption>
    </figure>
  );
}
