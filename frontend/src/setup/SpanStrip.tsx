import { useQuery } from "@tanstack/react-query";
import { useRef, useState, type PointerEvent } from "react";
import { marketPreviewQuery } from "@/api";
import { pointsOf, scaleOf } from "@/ui";

const WIDTH = 420;
const HEIGHT = 72;

interface Props {
  market: string;
  first: string;
  last: string;
  from: string;
  to: string;
  onTake: (from: string, to: string) => void;
}

/** The market's price over all its days, to drag over those that are meant. */
export function SpanStrip({ market, first, last, from, to, onTake }: Props) {
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
