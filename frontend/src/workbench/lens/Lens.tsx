import { X } from "lucide-react";
import type { LensView, Run } from "@/api";
import { LevelLines, plain, scaleOf, timeText } from "@/ui";
import { priceDigits } from "../chart/digits";

interface Props {
  view: LensView;
  run: Run;
  onStep: (by: 1 | -1) => void;
  onClose: () => void;
}

const WIDTH = 420;
const HEIGHT = 190;

/** A bar opened into the finer bars it is made of, with the fills inside it. */
export function Lens({ view, run, onStep, onClose }: Props) {
  const digits = priceDigits(run.tick);
  const { finer } = view;
  const count = finer.time.length;
  return (
    <section
      aria-label="Lens"
      className="absolute bottom-8 left-3 z-20 w-[452px] border border-base-content bg-base-100 shadow-sm"
      data-testid="lens"
      data-bar={view.bar}
    >
      <header className="flex items-center gap-2 border-b border-line px-3 py-1">
        <h2 className="text-body">
          {timeText(view.time, run.zone, "full")}{" "}
          <span className="font-normal text-soft">
            {finer.timeframe === null ? "" : `in ${plain(count, 0)} bars of ${finer.timeframe}`}
          </span>
        </h2>
        <span className="ml-auto flex gap-1">
          <button type="button" className="bar-button" aria-label="Lens on the bar before" onClick={() => onStep(-1)}>
            ‹
          </button>
          <button type="button" className="bar-button" aria-label="Lens on the bar after" onClick={() => onStep(1)}>
            ›
          </button>
          <button type="button" className="bar-button" aria-label="Close the lens" onClick={onClose}>
            <X size={13} aria-hidden />
          </button>
        </span>
      </header>
      <p className="num px-3 pt-1 text-small text-soft">
        open {plain(view.open, digits)} high {plain(view.high, digits)} low {plain(view.low, digits)} close{" "}
        {plain(view.close, digits)}
      </p>
      {finer.timeframe === null ? (
        <p className="px-3 py-2 text-soft">
          This bar is as fine as what is stored of the market: there is nothing inside it to see. Import finer bars to
          look into it.
        </p>
      ) : (
        <Finer view={view} digits={digits} zone={run.zone} />
      )}
      <ul className="border-t border-line px-3 py-1 text-note">
        {view.fills.length === 0 && <li className="text-soft">Nothing filled in this bar.</li>}
        {view.fills.map((fill, place) => (
          <li key={place}>
            <span className={fill.side === "long" ? "font-semibold text-long" : "font-semibold text-short"}>
              {fill.way === "in" ? `${fill.side} in` : `${fill.side} out`}
            </span>{" "}
            at <span className="num">{plain(fill.price, digits)}</span>{" "}
            {fill.moment === "inside" ? "inside the bar" : `at its ${fill.moment}`}, by {fill.by}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Finer({ view, digits, zone }: { view: LensView; digits: number; zone: string }) {
  const { time, open, high, low, close } = view.finer;
  const room = (WIDTH - 62) / time.length;
  const x = (place: number) => (place + 0.5) * room;
  const y = scaleOf([...high, ...low, ...view.fills.map((fill) => fill.price)], [HEIGHT - 24, 10]);
  const [least, most] = y.domain() as [number, number];
  const body = Math.min(16, Math.max(1, room * 0.6));
  // A fill inside the bar is drawn at the first finer bar that holds its price: where it can have been.
  const placeOf = (fill: LensView["fills"][number]) => {
    if (fill.moment === "open") return 0;
    if (fill.moment === "close") return time.length - 1;
    const found = time.findIndex((_, place) => low[place]! <= fill.price && fill.price <= high[place]!);
    return found < 0 ? 0 : found;
  };
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full px-3"
      role="img"
      aria-label={`${time.length} finer bars and ${view.fills.length} fills`}
    >
      <LevelLines
        scale={y}
        levels={[most, (most + least) / 2, least]}
        text={(price) => plain(price, digits)}
        from={0}
        to={WIDTH - 60}
        isRight
      />
      {time.map((moment, place) => (
        <g key={moment} stroke="var(--ink)" strokeWidth={Math.min(1, room * 0.4)}>
          <line x1={x(place)} x2={x(place)} y1={y(high[place]!)} y2={y(low[place]!)} />
          <rect
            x={x(place) - body / 2}
            width={body}
            y={Math.min(y(open[place]!), y(close[place]!))}
            height={Math.max(0.8, Math.abs(y(open[place]!) - y(close[place]!)))}
            fill={close[place]! >= open[place]! ? "var(--panel)" : "var(--ink)"}
          />
        </g>
      ))}
      {view.fills.map((fill, place) => {
        const at = x(placeOf(fill));
        const color = fill.side === "long" ? "var(--long)" : "var(--short)";
        return (
          <g key={place} stroke={color} fill={fill.way === "in" ? color : "var(--panel)"} strokeWidth="1.6">
            <line
              x1={Math.max(0, at - 26)}
              x2={Math.min(WIDTH - 60, at + 26)}
              y1={y(fill.price)}
              y2={y(fill.price)}
              strokeDasharray="3 2"
            />
            <rect
              x={at - 3.5}
              y={y(fill.price) - 3.5}
              width="7"
              height="7"
              transform={`rotate(45 ${at} ${y(fill.price)})`}
            />
          </g>
        );
      })}
      {[0, Math.floor(time.length / 2), time.length - 1].map((place, index) => (
        <text
          key={index}
          x={Math.max(18, Math.min(WIDTH - 76, x(place)))}
          y={HEIGHT - 6}
          fontSize="10"
          fill="var(--soft)"
          textAnchor="middle"
          className="num"
        >
          {timeText(time[place] ?? 0, zone, "time")}
        </text>
      ))}
    </svg>
  );
}
