import type { AxisValue, Walk } from "@/api";
import { plain, scaleOf, useSize } from "@/ui";
import { axisLabel, spanText } from "../model";

const LEFT = 84;
const RIGHT = 12;
const ROW = 16;
const STRIP = 40;
const DAY_MS = 86_400_000;

/** The windows over time, and under them what each chose. */
export function Timeline({ walk, onOpen }: { walk: Walk; onOpen: (place: number) => void }) {
  const { host, width } = useSize<HTMLDivElement>({ width: 320, height: 100 });
  const windows = walk.windows;
  const times = windows.flatMap((window) => [window.inside.first, window.outside.last]).map(Date.parse);
  const across = scaleOf([...times, Math.max(...times) + DAY_MS], [LEFT, width - RIGHT]);
  const x = (iso: string, after = 0) => across(Date.parse(iso) + after * DAY_MS);
  const names = Object.keys(windows.find((window) => window.chosen)?.chosen ?? {});
  const top = windows.length * ROW + 10;
  const height = top + names.length * STRIP + 4;
  return (
    <div ref={host} className="flex-none" style={{ height }}>
      <svg width={width} height={height} className="block" role="group" aria-label="Windows and what each chose">
        {windows.map((window, place) => {
          const y = place * ROW + 4;
          const net = window.outside_figures?.net_profit ?? null;
          return (
            <g key={window.outside.first}>
              <text x={0} y={y + 9} fontSize="11" fill="var(--soft)" className="num">
                {plain(place + 1, 0)}
              </text>
              <rect
                x={x(window.inside.first)}
                width={Math.max(1, x(window.inside.last, 1) - x(window.inside.first))}
                y={y}
                height={9}
                fill="var(--line)"
              >
                <title>{`inside: ${spanText(window.inside)}`}</title>
              </rect>
              <rect
                x={x(window.outside.first)}
                width={Math.max(1, x(window.outside.last, 1) - x(window.outside.first))}
                y={y}
                height={9}
                fill={net === null ? "transparent" : net > 0 ? "var(--gain)" : "var(--loss)"}
                stroke="var(--soft)"
                strokeWidth={net === null ? 1 : 0}
                className={window.chosen ? "cursor-pointer" : ""}
                onClick={() => window.chosen && onOpen(place)}
              >
                <title>{`outside: ${spanText(window.outside)}${net === null ? ", nothing traded" : `, net ${plain(net, 0)}`}. Press to open it as a run.`}</title>
              </rect>
            </g>
          );
        })}
        {names.map((name, strip) => (
          <Strip
            key={name}
            name={name}
            y={top + strip * STRIP}
            spans={windows.map((window) => ({
              value: window.chosen?.[name] ?? null,
              from: x(window.outside.first),
              to: x(window.outside.last, 1),
            }))}
          />
        ))}
      </svg>
    </div>
  );
}

/** One input over the windows: a step for each, at its height among what was chosen. */
function Strip({
  name,
  y,
  spans,
}: {
  name: string;
  y: number;
  spans: { value: AxisValue | null; from: number; to: number }[];
}) {
  const known = spans.flatMap((span) => (span.value === null ? [] : [span.value]));
  const levels = [...new Set(known)].sort((a, b) =>
    typeof a === "number" && typeof b === "number" ? a - b : String(a).localeCompare(String(b)),
  );
  const at = (value: AxisValue) => {
    const [low, high] = [levels[0]!, levels.at(-1)!];
    const share =
      typeof value === "number" && typeof low === "number" && typeof high === "number"
        ? (value - low) / (high - low || 1)
        : levels.indexOf(value) / Math.max(1, levels.length - 1);
    return y + STRIP - 8 - share * (STRIP - 22);
  };
  return (
    <g>
      <text x={0} y={y + STRIP / 2 + 4} fontSize="12" fontWeight="600" fill="var(--ink)" className="num">
        {name}
      </text>
      <line x1={LEFT} x2={spans.at(-1)!.to} y1={y + STRIP - 4} y2={y + STRIP - 4} stroke="var(--line)" />
      {spans.map((span, place) =>
        span.value === null ? null : (
          <g key={place}>
            <line
              x1={span.from}
              x2={span.to}
              y1={at(span.value)}
              y2={at(span.value)}
              stroke="var(--deep)"
              strokeWidth="2.5"
            />
            <text
              x={(span.from + span.to) / 2}
              y={at(span.value) - 4}
              fontSize="11"
              textAnchor="middle"
              fill="var(--ink)"
              className="num"
            >
              {axisLabel(span.value)}
            </text>
          </g>
        ),
      )}
    </g>
  );
}
