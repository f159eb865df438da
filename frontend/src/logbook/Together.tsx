import { scaleLinear } from "d3-scale";
import { Fragment, useState } from "react";
import type { ComparedRun, RunDifference } from "@/api";
import { dateText, LevelLines, moneyText, moneyTone, plain, pointsOf, roundLevels, scaleOf, signed } from "@/ui";

const WIDTH = 700;
const [LEFT, RIGHT] = [4, 634];
const HEIGHT = 200;
const STROKES = ["var(--ink)", "var(--soft)", "var(--brass)", "var(--deep)"];
const DASHES = [undefined, undefined, "5 3", "2 3"];

const dayText = (moment: number) => dateText(new Date(moment * 1000).toISOString());

interface TogetherProps {
  runs: ComparedRun[];
  chosen: ComparedRun;
  oldest: ComparedRun;
}

/** Equities on one axis, in money or in percent of what each began with; the months of two side by side. */
export function Together({ runs, chosen, oldest }: TogetherProps) {
  const [inPercent, setInPercent] = useState(false);
  const worth = (run: ComparedRun) =>
    run.equity.map((value) => (inPercent ? (100 * (value - run.capital)) / (run.capital || 1) : value));
  const x = scaleOf(
    runs.flatMap((run) => [run.times[0], run.times.at(-1)]),
    [LEFT, RIGHT],
  );
  const y = scaleOf(runs.flatMap(worth), [HEIGHT - 6, 6], 0.03);
  const [from, to] = x.domain() as [number, number];
  return (
    <section aria-label="Equity" className="border-t border-line py-2">
      <h2 className="flex flex-wrap items-baseline gap-x-4">
        <b>Equity</b>
        {runs.map((run, place) => (
          <span key={run.number} className="text-note">
            <svg width="24" height="8" className="inline" aria-hidden>
              <line
                x1="0"
                x2="22"
                y1="4"
                y2="4"
                stroke={STROKES[place]}
                strokeWidth="2"
                strokeDasharray={DASHES[place]}
              />
            </svg>{" "}
            <b className="num">{run.number}</b>{" "}
            <span className={`num ${moneyTone(run.figures.all?.net_profit)}`}>
              {moneyText(run.figures.all?.net_profit ?? 0)}
            </span>
          </span>
        ))}
        <button
          type="button"
          className="plain-button !py-0 font-normal"
          aria-pressed={inPercent}
          onClick={() => setInPercent(!inPercent)}
        >
          in percent
        </button>
      </h2>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block h-auto w-full"
        role="img"
        aria-label="Equity of every run on one axis"
      >
        <LevelLines
          scale={y}
          levels={roundLevels(y.domain(), 5)}
          text={(level) => (inPercent ? `${signed(level, 0)} %` : plain(level, 0))}
          from={LEFT}
          to={RIGHT}
          isRight
        />
        {[...runs].reverse().map((run, back) => {
          const place = runs.length - 1 - back;
          return (
            <polyline
              key={run.number}
              points={pointsOf(worth(run), (at) => x(run.times[at]!), y)}
              fill="none"
              stroke={STROKES[place]}
              strokeWidth={place === 0 ? 1.8 : 1.3}
              strokeDasharray={DASHES[place]}
            />
          );
        })}
      </svg>
      <p className="flex justify-between text-note text-soft" style={{ width: `${(100 * RIGHT) / WIDTH}%` }}>
        <span>{dayText(from)}</span>
        <span>{dayText(to)}</span>
      </p>
      <Months chosen={chosen} oldest={oldest} />
    </section>
  );
}

const ROOM = 80;

function Months({ chosen, oldest }: { chosen: ComparedRun; oldest: ComparedRun }) {
  const numberOf = (month: { year: number; month: number }) => month.year * 12 + month.month - 1;
  const all = [...chosen.months, ...oldest.months].map(numberOf);
  const [first, last] = [Math.min(...all), Math.max(...all)];
  const netOf = (run: ComparedRun, at: number) => run.months.find((month) => numberOf(month) === at)?.net_profit ?? 0;
  const months = Array.from({ length: last - first + 1 }, (_, at) => first + at);
  const pairs = months.map((at) => ({ at, after: netOf(chosen, at), before: netOf(oldest, at) }));
  const ends = pairs.flatMap((pair) => [pair.after, pair.before]);
  const y = scaleLinear([Math.min(0, ...ends), Math.max(0, ...ends, 1e-9)], [ROOM - 2, 2]);
  const x = scaleLinear([0, months.length], [LEFT, RIGHT]);
  const width = Math.max(1, (x(1) - x(0)) * 0.36);
  const better = pairs.filter((pair) => pair.after > pair.before).length;
  const worse = pairs.filter((pair) => pair.after < pair.before).length;
  return (
    <>
      <h3 className="mt-1">
        <b>Months side by side</b>{" "}
        <span className="text-soft">
          filled {chosen.number}, open {oldest.number}; {chosen.number} better in {better}, worse in {worse}, alike in{" "}
          {pairs.length - better - worse}
        </span>
      </h3>
      <svg
        viewBox={`0 0 ${WIDTH} ${ROOM}`}
        className="block h-auto w-full"
        role="img"
        aria-label={`Months: run ${chosen.number} better in ${better}, worse in ${worse}`}
      >
        <LevelLines
          scale={y}
          levels={roundLevels(y.domain(), 3)}
          text={(level) => signed(level, 0)}
          from={LEFT}
          to={RIGHT}
          isRight
        />
        {pairs.map((pair, place) => (
          <Fragment key={pair.at}>
            {[pair.after, pair.before].map((net, which) => (
              <rect
                key={which}
                x={x(place) + (which === 0 ? 0.1 : 0.52) * (x(1) - x(0))}
                width={width}
                y={Math.min(y(0), y(net))}
                height={Math.abs(y(net) - y(0))}
                fill={which === 1 ? "none" : net > 0 ? "var(--gain)" : "var(--loss)"}
                stroke={net > 0 ? "var(--gain)" : "var(--loss)"}
              />
            ))}
          </Fragment>
        ))}
      </svg>
    </>
  );
}

/** The two texts as one; what is the same is folded away. */
export function Lines({ difference, before }: { difference: RunDifference; before: number }) {
  const [isWhole, setWhole] = useState(false);
  const { lines, number } = difference;
  const changed = lines.filter((line) => line.kind !== "both").length;
  const shown: ({ line: (typeof lines)[number] } | { same: number })[] = [];
  let same = 0;
  for (const line of lines) {
    if (line.kind === "both" && !isWhole) {
      same++;
      continue;
    }
    if (same > 0) shown.push({ same });
    same = 0;
    shown.push({ line });
  }
  if (same > 0) shown.push({ same });
  return (
    <section aria-label="Script" className="mt-4">
      <h2 className="flex items-baseline gap-2">
        <b>Script</b>
        <span className="text-soft">{changed === 0 ? "the same text" : `${changed} lines differ`}</span>
        <button
          type="button"
          className="ml-auto cursor-pointer text-note text-long underline decoration-dotted"
          onClick={() => setWhole(!isWhole)}
        >
          {isWhole ? "only what differs" : "both texts whole"}
        </button>
      </h2>
      <table className="num w-full text-note" data-testid="lines">
        <tbody>
          {shown.map((item, place) =>
            "same" in item ? (
              <tr key={place}>
                <td colSpan={3} className="py-[1px] pl-8 font-sans text-soft italic">
                  {item.same} line{item.same === 1 ? "" : "s"} the same
                </td>
              </tr>
            ) : (
              <tr key={place} className={item.line.kind === "after" ? "bg-shallow" : ""} data-kind={item.line.kind}>
                <td className="w-8 pr-2 text-right text-soft">{item.line.number}</td>
                <td
                  className={`break-words whitespace-pre-wrap ${item.line.kind === "before" ? "text-loss line-through" : item.line.kind === "after" ? "font-semibold" : ""}`}
                >
                  {item.line.text}
                </td>
                <td className="w-8 text-right text-soft">
                  {item.line.kind === "before" ? before : item.line.kind === "after" ? number : ""}
                </td>
              </tr>
            ),
          )}
        </tbody>
      </table>
    </section>
  );
}
