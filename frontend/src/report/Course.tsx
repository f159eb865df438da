import { scaleLinear, scaleLog } from "d3-scale";
import { useState, type PointerEvent } from "react";
import type { Report } from "@/api";
import {
  dateText,
  LevelLines,
  moneyText,
  moneyTone,
  NumberField,
  plain,
  pointsOf,
  roundLevels,
  scaleOf,
  signed,
} from "@/ui";
import { Falls } from "./Falls";
import { shade, type Acts } from "./model";
import { Section } from "./Section";

const WIDTH = 700;
const [LEFT, RIGHT] = [4, 634];
const HEIGHT = 250;
const UNDER = 70;

const dayText = (moment: number) => dateText(new Date(moment * 1000).toISOString());

interface CourseProps extends Acts {
  report: Report;
  held: string;
}

/** Equity beside holding, how far it was below its peak, and the stretches of the market, all over the same time. */
export function Course({ report, held, onShow, swings }: CourseProps) {
  const [isLog, setLog] = useState(false);
  const [brushed, setBrushed] = useState<[number, number] | null>(null); // places in the course
  const { times, equity, holding, drawdown } = report.course;
  const x = scaleLinear([times[0] ?? 0, times.at(-1) ?? 1], [LEFT, RIGHT]);
  const values = [...equity, ...holding];
  const canLog = values.every((value) => value === null || value > 0);
  const linear = scaleOf(values, [HEIGHT - 6, 6], 0.03);
  const log = scaleLog(
    linear.domain().map((end) => Math.max(end, 1e-9)),
    [HEIGHT - 6, 6],
  );
  const y: (value: number) => number = isLog && canLog ? log : linear;
  const deepest = Math.max(...drawdown, 0.1);
  const under = scaleLinear([0, deepest], [9, UNDER - 6]);
  const at = (place: number) => x(times[place]!);
  const last = equity.at(-1) ?? report.capital;
  const heldLast = holding.at(-1);
  const bottom = drawdown.indexOf(Math.max(...drawdown));
  const brush = useBrush(times, x, brushed, setBrushed);
  return (
    <Section
      name="Equity"
      said={
        <>
          from <span className="num">{plain(report.capital, 0)}</span> to <b className="num">{plain(last, 0)}</b>, in
          the account&apos;s money; — the run, <span className="text-soft">┄ {held}</span>{" "}
          {heldLast != null && <span className="num">{signed(heldLast - report.capital, 0)}</span>}
          <button
            type="button"
            className="plain-button no-print ml-3 !py-0"
            disabled={!canLog}
            aria-pressed={isLog}
            onClick={() => setLog(!isLog)}
          >
            log scale
          </button>
        </>
      }
    >
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block h-auto w-full touch-none select-none"
        role="img"
        aria-label={`Equity from ${plain(report.capital, 0)} to ${plain(last, 0)}`}
        {...brush}
      >
        <LevelLines
          scale={y}
          levels={roundLevels(linear.domain(), 5)}
          text={(level) => plain(level, 0)}
          from={LEFT}
          to={RIGHT}
          isRight
        />
        {brushed && (
          <rect
            x={at(brushed[0])}
            width={Math.max(1, at(brushed[1]) - at(brushed[0]))}
            y={0}
            height={HEIGHT}
            fill="var(--shallow)"
            opacity="0.6"
          />
        )}
        <line
          x1={LEFT}
          x2={RIGHT}
          y1={y(report.capital)}
          y2={y(report.capital)}
          stroke="var(--soft)"
          strokeDasharray="1 3"
        />
        <polyline points={pointsOf(holding, at, y)} fill="none" stroke="var(--soft)" strokeDasharray="3 3" />
        <polyline points={pointsOf(equity, at, y)} fill="none" stroke="var(--ink)" strokeWidth="1.6" />
        <circle cx={at(equity.length - 1)} cy={y(last)} r="3" fill="var(--ink)" />
      </svg>
      {brushed ? (
        <Brushed report={report} span={brushed} onShow={onShow} onNone={() => setBrushed(null)} />
      ) : (
        <p className="no-print text-note text-soft">Draw over a stretch of it to see that alone.</p>
      )}
      <h3 className="mt-2">
        <b>Drawdown</b>{" "}
        {deepest > 0.1 && (
          <span className="text-soft">
            deepest <span className="num">{plain(deepest, 1)} %</span>, {dayText(times[bottom]!)}
          </span>
        )}
      </h3>
      <svg
        viewBox={`0 0 ${WIDTH} ${UNDER}`}
        className="block h-auto w-full"
        role="img"
        aria-label={`Drawdown, deepest ${plain(deepest, 1)} percent`}
      >
        <LevelLines
          scale={under}
          levels={roundLevels([0, deepest], 2)}
          text={(level) => (level === 0 ? "0 %" : `−${plain(level, level % 1 ? 1 : 0)} %`)}
          from={LEFT}
          to={RIGHT}
          isRight
        />
        <polygon
          points={`${LEFT},9 ${pointsOf(drawdown, at, under)} ${RIGHT},9`}
          fill="color-mix(in oklab, var(--loss) 22%, transparent)"
          stroke="var(--loss)"
          strokeWidth="0.8"
        />
      </svg>
      <Falls report={report} onShow={onShow} />
      <Stretches report={report} x={x} onShow={onShow} swings={swings} />
      <p className="flex justify-between text-note text-soft" style={{ width: `${(100 * RIGHT) / WIDTH}%` }}>
        <span>{dayText(times[0] ?? 0)}</span>
        <span>{dayText(times.at(-1) ?? 0)}</span>
      </p>
    </Section>
  );
}

/** A stretch of the course is drawn over with the pointer. */
function useBrush(
  times: number[],
  x: (moment: number) => number,
  brushed: [number, number] | null,
  onBrushed: (span: [number, number] | null) => void,
) {
  const [begun, setBegun] = useState<number | null>(null);
  const placeAt = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const wanted = ((event.clientX - box.left) * WIDTH) / box.width;
    let nearest = 0;
    times.forEach((moment, place) => {
      if (Math.abs(x(moment) - wanted) < Math.abs(x(times[nearest]!) - wanted)) nearest = place;
    });
    return nearest;
  };
  return {
    onPointerDown: (event: PointerEvent<SVGSVGElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      setBegun(placeAt(event));
      onBrushed(null);
    },
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
      if (begun === null) return;
      const here = placeAt(event);
      if (here !== begun) onBrushed([Math.min(begun, here), Math.max(begun, here)]);
    },
    onPointerUp: () => setBegun(null),
    onPointerCancel: () => setBegun(null),
    "data-brushed": brushed ? "yes" : undefined,
  };
}

interface BrushedProps extends Acts {
  report: Report;
  span: [number, number];
  onNone: () => void;
}

/** What the run did over a part of its time: of the points that are drawn. */
function Brushed({ report, span: [from, to], onShow, onNone }: BrushedProps) {
  const { times, equity, holding } = report.course;
  const part = equity.slice(from, to + 1);
  let [peak, fall] = [part[0]!, 0];
  for (const value of part) {
    peak = Math.max(peak, value);
    fall = Math.max(fall, peak - value);
  }
  const change = part.at(-1)! - part[0]!;
  const held = (holding[to] ?? 0) - (holding[from] ?? 0);
  return (
    <p className="text-note" data-testid="brushed">
      {dayText(times[from]!)} to {dayText(times[to]!)}: equity{" "}
      <b className={`num ${moneyTone(change)}`}>{moneyText(change)}</b>
      {part[0]! > 0 && <span className="num"> ({signed((100 * change) / part[0]!, 1)} %)</span>}, deepest fall{" "}
      <b className="num">{plain(fall, 0)}</b>, holding <span className="num">{moneyText(held)}</span>{" "}
      {onShow && (
        <button
          type="button"
          className="cursor-pointer text-long underline decoration-dotted"
          onClick={() => onShow(times[from]!, times[to]!)}
        >
          show
        </button>
      )}{" "}
      <button type="button" className="cursor-pointer text-soft underline decoration-dotted" onClick={onNone}>
        all of it
      </button>
    </p>
  );
}

const WAYS = { rising: "↗", falling: "↘", sideways: "→" } as const;

/** The market's stretches, and what the trades that ended in each came to. */
function Stretches({ report, x, onShow, swings }: { report: Report; x: (moment: number) => number } & Acts) {
  const { stretches } = report;
  if (stretches.length === 0) return null;
  const most = Math.max(...stretches.map((stretch) => Math.abs(stretch.net_profit)));
  const inAll = (way: keyof typeof WAYS) =>
    stretches.filter((stretch) => stretch.way === way).reduce((sum, stretch) => sum + stretch.net_profit, 0);
  return (
    <>
      <h3
        className="mt-2 flex flex-wrap items-baseline gap-x-4"
        title="Cut where a swing of 10 % of price, or of 4 mean true ranges of 20 days, ends; sideways where the net move is under a third of the path"
      >
        <b>Stretches of the market</b>
        {swings && (
          <span className="no-print text-note text-soft">
            cut by swings of{" "}
            <NumberField
              label="A swing in percent of price"
              className="field w-14 text-right"
              least={0.1}
              isWhole={false}
              value={swings.value.percent}
              onChange={(percent) => swings.onChange({ ...swings.value, percent })}
            />{" "}
            % or{" "}
            <NumberField
              label="A swing in mean true ranges"
              className="field w-12 text-right"
              least={0}
              isWhole={false}
              value={swings.value.ranges}
              onChange={(ranges) => swings.onChange({ ...swings.value, ranges })}
            />{" "}
            ranges, sideways under{" "}
            <NumberField
              label="Sideways under so many percent of the path"
              className="field w-12 text-right"
              least={0}
              most={100}
              value={Math.round(swings.value.sideways * 100)}
              onChange={(percent) => swings.onChange({ ...swings.value, sideways: percent / 100 })}
            />{" "}
            % of the path
          </span>
        )}
        {(Object.keys(WAYS) as (keyof typeof WAYS)[]).map((way) => (
          <span key={way} className="text-note">
            {WAYS[way]} {way} <b className={`num ${moneyTone(inAll(way))}`}>{moneyText(inAll(way))}</b>
          </span>
        ))}
      </h3>
      <svg
        viewBox={`0 0 ${WIDTH} 34`}
        className="block h-auto w-full"
        role="group"
        aria-label="Stretches of the market"
      >
        {stretches.map((stretch) => {
          const [from, to] = [Math.max(LEFT, x(stretch.begins)), Math.min(RIGHT, x(stretch.ends))];
          const said = `${stretch.way} ${signed(stretch.move, 1)} % from ${dayText(stretch.begins)} to ${dayText(stretch.ends)}: ${moneyText(stretch.net_profit)} in ${stretch.trades} trades`;
          return (
            <g
              key={stretch.begins}
              role={onShow ? "button" : "img"}
              tabIndex={onShow ? 0 : undefined}
              aria-label={said}
              className={onShow ? "cursor-pointer" : ""}
              onClick={() => onShow?.(stretch.begins, stretch.ends)}
              onKeyDown={(event) => event.key === "Enter" && onShow?.(stretch.begins, stretch.ends)}
            >
              <title>{said}</title>
              <rect
                x={from}
                width={Math.max(1, to - from)}
                y="1"
                height="31"
                fill={shade(stretch.net_profit, most)}
                stroke="var(--line)"
              />
              <text x={(from + to) / 2} y="13" fontSize="10" textAnchor="middle" fill="var(--soft)">
                {WAYS[stretch.way]}
              </text>
              {to - from > 44 && (
                <text x={(from + to) / 2} y="27" fontSize="10.5" textAnchor="middle" fill="var(--ink)" className="num">
                  {moneyText(stretch.net_profit)}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </>
  );
}
