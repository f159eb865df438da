import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import { plain, scaleOf } from "@/ui";
import { drawnAt } from "./description";

const WIDTH = 264;
const HEIGHT = 96;
const BASE = 78;

interface Props {
  hours: number[];
  /** As they are stored, to tell what is drawn. */
  stored: number[];
  unit: string;
  onChange: (hours: number[]) => void;
}

/** The spread of every hour as a column: drawn up and down by the pointer, or by arrows on the column. */
export function HourColumns({ hours, stored, unit, onChange }: Props) {
  const host = useRef<SVGSVGElement>(null);
  const top = Math.max(...hours, ...stored, 1e-9) * 1.25;
  const y = scaleOf([0, top], [BASE, 8]);
  const room = WIDTH / 24;
  const draw = (event: PointerEvent) => {
    if (event.buttons !== 1 || !host.current) return;
    const box = host.current.getBoundingClientRect();
    const hour = Math.max(0, Math.min(23, Math.floor(((event.clientX - box.left) / box.width) * 24)));
    onChange(drawnAt(hours, hour, y.invert(((event.clientY - box.top) / box.height) * HEIGHT)));
  };
  const press = (event: KeyboardEvent, hour: number) => {
    const step = { ArrowUp: 0.1, ArrowDown: -0.1, PageUp: 0.5, PageDown: -0.5 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    const by = step * (Math.max(...stored) || 1);
    onChange(drawnAt(hours, hour, (hours[hour] ?? 0) + by));
  };
  return (
    <svg
      ref={host}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full cursor-ns-resize touch-none"
      role="group"
      aria-label="Spread by hour: draw the columns, or press the arrows on one"
      data-testid="hour-columns"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        draw(event);
      }}
      onPointerMove={draw}
    >
      <line x1="0" x2={WIDTH} y1={BASE} y2={BASE} stroke="var(--soft)" />
      {hours.map((spread, hour) => {
        const isDrawn = spread !== stored[hour];
        return (
          <g
            key={hour}
            role="slider"
            tabIndex={0}
            aria-label={`Spread at ${String(hour).padStart(2, "0")}:00`}
            aria-valuenow={spread}
            aria-valuemin={0}
            aria-valuetext={`${spread} ${unit}`}
            onKeyDown={(event) => press(event, hour)}
          >
            <rect x={hour * room} width={room} y="0" height={BASE} fill="transparent" />
            <rect
              x={hour * room + 1}
              width={room - 2}
              y={y(spread)}
              height={Math.max(0.5, BASE - y(spread))}
              fill={isDrawn ? "var(--brass)" : "var(--deep)"}
              opacity={isDrawn ? 0.8 : 0.45}
            >
              <title>{`${hour}:00, ${spread} ${unit}`}</title>
            </rect>
          </g>
        );
      })}
      {[0, 6, 12, 18, 23].map((hour) => (
        <text
          key={hour}
          x={(hour + 0.5) * room}
          y={HEIGHT - 4}
          fontSize="10"
          textAnchor="middle"
          fill="var(--soft)"
          className="num"
        >
          {String(hour).padStart(2, "0")}
        </text>
      ))}
      <text x="0" y="8" fontSize="10" fill="var(--soft)" className="num">
        {plain(top / 1.25, 2)} {unit}
      </text>
    </svg>
  );
}
