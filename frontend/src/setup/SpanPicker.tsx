import { useQuery } from "@tanstack/react-query";
import { useRef, useState, type PointerEvent } from "react";
import { marketPreviewQuery } from "@/api";
import { dateText, pointsOf, PopOver, scaleOf } from "@/ui";
import { DateField } from "./DateField";
import { presetSpans } from "./model";

interface Props {
  market: string;
  first: string;
  last: string;
  from: string;
  to: string;
  /** A day left out means as early, or as late, as there are bars. */
  onSpan: (from: string | undefined, to: string | undefined) => void;
}

const WIDTH = 420;
const HEIGHT = 72;

/** The days of the run: a strip of price to drag over, and both dates to type. */
export function SpanPicker(props: Props) {
  const { first, last, from, to, onSpan } = props;
  const take = (begin: string, end: string) =>
    onSpan(begin && begin > first ? begin : undefined, end && end < last ? end : undefined);
  return (
    <PopOver
      face={`${dateText(from)} to ${dateText(to)}`}
      title="From the first day to the last"
      className="picker whitespace-nowrap"
    >
      {() => (
        <span className="block w-[452px] p-4">
          <Strip {...props} onTake={take} />
          <span className="mt-2 flex items-baseline gap-2 text-soft">
            from <DateField label="First day" value={from} onDay={(day) => take(day, to)} /> to{" "}
            <DateField label="Last day" value={to} onDay={(day) => take(from, day)} />
          </span>
          <span className="mt-2 flex flex-wrap gap-x-3 gap-y-1" role="group" aria-label="Often asked for">
            {presetSpans(first, last).map((preset) => (
              <button
                key={preset.name}
                type="button"
                className="cursor-pointer text-note text-long hover:underline"
                onClick={() => onSpan(preset.from, preset.to)}
              >
                {preset.name}
              </button>
            ))}
          </span>
        </span>
      )}
    </PopOver>
  );
}

function Strip({ market, first, last, from, to, onTake }: Props & { onTake: (from: string, to: string) => void }) {
  const preview = useQuery(marketPreviewQuery(market));
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const host = useRef<SVGSVGElement>(null);
  const [begins, ends] = [Date.parse(first) / 1000, Date.parse(last) / 1000 + 86_400];
  const xOf = scaleOf([begins, ends], [0, WIDTH]);
  const dayAt = (x: number) =>
    new Date(Math.min(ends - 1, Math.max(begins, xOf.invert(x))) * 1000).toISOString().slice(0, 10);
  const at = (event: PointerEvent) => {
    const box = host.current!.getBoundingClientRect();
    return ((event.clientX - box.left) / box.width) * WIDTH;
  };
  const { time = [], close = [] } = preview.data ?? {};
  const y = scaleOf(close, [HEIGHT - 6, 6]);
  const [left, right] = drag
    ? [Math.min(...drag), Math.max(...drag)]
    : [xOf(Date.parse(from) / 1000), xOf(Date.parse(to) / 1000 + 86_400)];
  return (
    <svg
      ref={host}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full cursor-col-resize touch-none border border-line"
      role="img"
      aria-label={`Price of ${market}; drag over the days to test`}
      data-testid="span-strip"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag([at(event), at(event)]);
      }}
      onPointerMove={(event) => drag && setDrag([drag[0], at(event)])}
      onPointerUp={() => {
        if (drag && Math.abs(drag[1] - drag[0]) > 4) onTake(dayAt(Math.min(...drag)), dayAt(Math.max(...drag)));
        setDrag(null);
      }}
    >
      <rect x={left} width={Math.max(1, right - left)} y="0" height={HEIGHT} fill="var(--shallow)" />
      <polyline points={pointsOf(close, (place) => xOf(time[place]!), y)} fill="none" stroke="var(--ink)" />
      {drag && (
        <text x={Math.min(WIDTH - 90, Math.max(4, left + 4))} y="14" fontSize="11" fill="var(--ink)">
          {dayAt(left)} to {dayAt(right)}
        </text>
      )}
    </svg>
  );
}
