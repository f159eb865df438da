import { useMemo } from "react";
import type { PracticeShown } from "@/api";
import { moneyText, plain, pricePane, roundLevels, timeText, useSize, type Scale } from "@/ui";
import { digitsOf, staffs } from "./model";

const AXIS = 122;
const LANE = 15;
const FOOT = 20;
const HEAD = 30;
const PENNANTS = 24;
const STAFF = 34; // pixels that a pennant needs
const TO_COME = 0.09; // of the width: what is not known yet is hatched
const MOST_LANES = 7;

/** The newest bars with what the script draws, the trades, the levels in force, what happened as pennants, lanes. */
export function Picture({ shown }: { shown: PracticeShown }) {
  const { host, width, height } = useSize<HTMLDivElement>({ width: 480, height: 260 });
  const { picture, zone, tick, held } = shown;
  const digits = digitsOf(tick);
  const lanes = picture.lanes.slice(0, MOST_LANES);
  const right = width - AXIS;
  const now = right * (1 - TO_COME);
  const count = picture.close.length;
  const step = now / Math.max(1, count);
  const x = (bar: number) => (bar + 0.5) * step;
  const lanesTop = height - FOOT - lanes.length * LANE - 4;
  const priceBottom = Math.max(HEAD + 60, lanesTop - PENNANTS);
  const last = count - 1;
  const levels = [
    { key: "price", price: shown.price, word: "now", tone: "var(--ink)" },
    ...(held
      ? [
          {
            key: "entry",
            price: held.price,
            word: held.side === "long" ? "bought" : "sold",
            tone: `var(--${held.side})`,
          },
          ...(held.stop === null ? [] : [{ key: "stop", price: held.stop, word: "stop", tone: "var(--loss)" }]),
          ...(held.target === null ? [] : [{ key: "target", price: held.target, word: "target", tone: "var(--gain)" }]),
        ]
      : []),
  ];
  const inForce = levels.map((level) => level.price).join(" ");
  const pane = useMemo(
    () => pricePane(picture, (bar) => (bar + 0.5) * step, HEAD, priceBottom - HEAD, inForce.split(" ").map(Number)),
    [picture, step, priceBottom, inForce],
  );
  const labels = spread(levels.map((level) => pane.y(level.price)));
  const y = (price: number) => Math.max(HEAD - 6, Math.min(priceBottom + 4, pane.y(price)));
  const legend = picture.lines.flatMap((line) => {
    const value = line.values[last];
    return value === null || value === undefined ? [] : [{ name: line.name, value, color: line.color }];
  });
  return (
    <div ref={host} className="relative h-full min-h-[260px]" data-testid="picture">
      <p className="num absolute top-1 right-2 left-4 flex flex-wrap gap-x-3 text-note">
        <b>{picture.symbol}</b>
        <span>
          open {plain(picture.open[last]!, digits)} high {plain(picture.high[last]!, digits)} low{" "}
          {plain(picture.low[last]!, digits)} {shown.is_forming ? "now" : "close"} {plain(picture.close[last]!, digits)}
        </span>
        {legend.map((item) => (
          <span key={item.name} style={{ color: `var(--${item.color})` }}>
            {item.name} {plain(item.value, Math.max(2, digits))}
          </span>
        ))}
      </p>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`The newest ${count} bars of ${picture.symbol}, ${picture.timeframe}`}
      >
        <defs>
          <pattern id="to-come" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" x2="0" y1="0" y2="6" stroke="var(--line)" strokeWidth="1.5" />
          </pattern>
        </defs>
        <rect x={now} y={HEAD - 8} width={right - now} height={height - FOOT - HEAD + 8} fill="url(#to-come)" />
        <Grid
          scale={pane.y}
          values={picture.close}
          from={HEAD}
          to={priceBottom}
          right={right}
          digits={digits}
          taken={labels}
        />
        {held && <Reach shown={shown} x={x} y={y} now={now} />}
        <g dangerouslySetInnerHTML={{ __html: pane.drawn }} />
        <line x1={now} x2={now} y1={HEAD - 8} y2={height - FOOT} stroke="var(--ink)" strokeDasharray="3 3" />
        {shown.berths.map((berth, place) => (
          <Berth key={place} berth={berth} shown={shown} x={x} y={pane.y} now={now} top={HEAD - 4} />
        ))}
        {levels.map((level, place) => (
          <g key={level.key} stroke={level.tone} fill={level.tone}>
            <line
              x1={held && level.key !== "price" ? x(Math.max(0, last - held.bars_held + 1)) : now}
              x2={right}
              y1={y(level.price)}
              y2={y(level.price)}
              strokeDasharray="2 3"
            />
            <line x1={right} x2={right + 5} y1={y(level.price)} y2={labels[place]} strokeWidth="0.7" />
            <text x={right + 8} y={labels[place]! + 4} fontSize="11" stroke="none">
              {level.word} <tspan className="num font-semibold">{plain(level.price, digits)}</tspan>
            </text>
          </g>
        ))}
        {staffs(shown, x, STAFF).map((staff) => (
          <Pennant
            key={staff.first}
            at={staff.x}
            from={pane.y(picture.low[staff.bar]!)}
            foot={priceBottom + PENNANTS - 8}
            numbers={staff.first === staff.last ? String(staff.first) : `${staff.first}–${staff.last}`}
            isFeed={staff.isFeed}
            text={staff.texts.join("; ")}
          />
        ))}
        {lanes.map((lane, place) => {
          const top = lanesTop + place * LANE;
          const isYes = lane.bars.includes(last);
          return (
            <g key={lane.name}>
              <rect x={0} width={now} y={top} height={LANE - 4} fill="var(--line)" opacity="0.25" />
              {lane.bars.map((bar) => (
                <rect
                  key={bar}
                  x={x(bar) - step / 2}
                  width={Math.max(1, step)}
                  y={top}
                  height={LANE - 4}
                  fill="var(--long)"
                  opacity="0.45"
                />
              ))}
              <text x={4} y={top + 9} fontSize="10.5" fill="var(--ink)" className="num">
                {lane.name}
              </text>
              <text x={right + 6} y={top + 9} fontSize="10.5" fill={isYes ? "var(--gain)" : "var(--soft)"}>
                {isYes ? "✓ yes" : "no"}
              </text>
            </g>
          );
        })}
        <Foot shown={shown} x={x} y={height - 6} now={now} zone={zone} />
      </svg>
    </div>
  );
}

const APART = 14; // pixels between two labels

/** Places of labels that do not stand on each other, near to where each belongs. */
function spread(wanted: number[]): number[] {
  const order = wanted.map((_, place) => place).sort((a, b) => wanted[a]! - wanted[b]!);
  const found = [...wanted];
  order.forEach((place, at) => {
    const before = at > 0 ? found[order[at - 1]!]! : -Infinity;
    found[place] = Math.max(wanted[place]!, before + APART);
  });
  return found;
}

interface GridProps {
  scale: Scale;
  values: number[];
  from: number;
  to: number;
  right: number;
  digits: number;
  /** Where other labels stand. */
  taken: number[];
}

function Grid({ scale, values, from, to, right, digits, taken }: GridProps) {
  return roundLevels(values, 5)
    .filter((level) => scale(level) > from && scale(level) < to)
    .map((level) => (
      <g key={level}>
        <line x1={0} x2={right} y1={scale(level)} y2={scale(level)} stroke="var(--line)" strokeWidth="0.7" />
        {taken.every((place) => Math.abs(place - scale(level)) > APART) && (
          <text x={right + 8} y={scale(level) + 4} fontSize="11" fill="var(--soft)" className="num">
            {plain(level, digits)}
          </text>
        )}
      </g>
    ));
}

interface Drawn {
  shown: PracticeShown;
  x: (bar: number) => number;
  y: (price: number) => number;
  now: number;
}

/** Between the entry and its levels: what may be lost, and what won. */
function Reach({ shown, x, y, now }: Drawn) {
  const held = shown.held!;
  const from = x(Math.max(0, shown.picture.close.length - held.bars_held));
  const box = (level: number | null, tone: string) => {
    if (level === null) return null;
    const [a, b] = [y(held.price), y(level)];
    return (
      <rect
        x={from}
        width={Math.max(0, now - from)}
        y={Math.min(a, b)}
        height={Math.abs(a - b)}
        fill={tone}
        opacity="0.08"
      />
    );
  };
  return (
    <>
      {box(held.stop, "var(--loss)")}
      {box(held.target, "var(--gain)")}
    </>
  );
}

/** A bracket over or under a trade's bars; of the open one its end is yet to come. */
function Berth({ berth, shown, x, y, now, top }: Drawn & { berth: PracticeShown["berths"][number]; top: number }) {
  const { picture } = shown;
  const last = berth.last ?? picture.close.length - 1;
  const bars = Array.from({ length: Math.max(1, last - berth.first + 1) }, (_, place) => berth.first + place);
  const isLong = berth.side > 0;
  const edge = isLong
    ? Math.max(...bars.map((bar) => y(picture.low[bar] ?? picture.close.at(-1)!))) + 8
    : Math.max(top, Math.min(...bars.map((bar) => y(picture.high[bar] ?? picture.close.at(-1)!))) - 8);
  const foot = edge + (isLong ? -5 : 5);
  const [from, to] = [x(berth.first), berth.last === null ? now : x(last)];
  const tone = isLong ? "var(--long)" : "var(--short)";
  return (
    <g>
      <path
        d={`M${from} ${foot}V${edge}H${to}${berth.last === null ? "" : `V${foot}`}`}
        fill="none"
        stroke={tone}
        strokeWidth="1.6"
      />
      {to - from > 34 && (
        <text
          x={(from + to) / 2}
          y={edge + (isLong ? 11 : -3)}
          fontSize="10.5"
          textAnchor="middle"
          fill={berth.net < 0 ? "var(--loss)" : "var(--gain)"}
          className="num font-semibold"
        >
          {moneyText(berth.net)}
        </text>
      )}
    </g>
  );
}

interface PennantProps {
  at: number;
  from: number;
  foot: number;
  numbers: string;
  isFeed: boolean;
  text: string;
}

/** A flag on its staff under the bar that it belongs to. */
function Pennant({ at, from, foot, numbers, isFeed, text }: PennantProps) {
  const tone = isFeed ? "var(--loss)" : "var(--ink)";
  const length = 9 + numbers.length * 5.6;
  return (
    <g stroke={tone} fill="none" data-testid="pennant">
      <title>{text}</title>
      <line x1={at} x2={at} y1={from + 3} y2={foot + 5} strokeDasharray="1 2" strokeWidth="0.8" />
      <path d={`M${at} ${foot - 7}h${length}l-4 5.5 4 5.5h-${length}z`} fill="var(--paper)" />
      <text
        x={at + (length - 4) / 2}
        y={foot + 2}
        fontSize="9"
        fill={tone}
        stroke="none"
        textAnchor="middle"
        className="num"
      >
        {numbers}
      </text>
    </g>
  );
}

/** Days under the bars at which they begin, and the moment now. */
function Foot({ shown, x, y, now, zone }: Omit<Drawn, "y"> & { y: number; zone: string }) {
  const { time } = shown.picture;
  const days = time.map((moment) => timeText(moment, zone, "day"));
  const places = days.flatMap((day, bar) => (bar > 0 && day !== days[bar - 1] ? [bar] : []));
  let free = -Infinity;
  const written = places.filter((bar) => {
    if (x(bar) - free < 62 || x(bar) > now - 70) return false;
    free = x(bar);
    return true;
  });
  return (
    <g fontSize="11" fill="var(--soft)">
      {written.map((bar) => (
        <text key={bar} x={x(bar)} y={y} textAnchor="middle">
          {days[bar]}
        </text>
      ))}
      <text x={now} y={y} textAnchor="middle" fill="var(--ink)" className="num font-semibold">
        {timeText(shown.clock, zone, "time")}
      </text>
    </g>
  );
}
