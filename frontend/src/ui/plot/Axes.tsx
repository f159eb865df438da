interface AxisProps {
  scale: (value: number) => number;
  /** The values that are marked. */
  levels: number[];
  text: (level: number) => string;
  /** Where the lines begin and end, pixels across their direction. */
  from: number;
  to: number;
}

/** Lines from left to right at some values, each with its number at the left, or beyond the right end. */
export function LevelLines({ scale, levels, text, from, to, isRight = false }: AxisProps & { isRight?: boolean }) {
  return levels.map((level) => (
    <g key={level}>
      <line x1={from} x2={to} y1={scale(level)} y2={scale(level)} stroke={lineOf(level, levels)} />
      <text
        x={isRight ? to + 6 : from - 6}
        y={scale(level) + 4}
        fontSize="11"
        textAnchor={isRight ? "start" : "end"}
        fill="var(--soft)"
        className="num"
      >
        {text(level)}
      </text>
    </g>
  ));
}

/** Lines from top to bottom at some values, each with its number below. */
export function PlumbLines({ scale, levels, text, from, to }: AxisProps) {
  return levels.map((level) => (
    <g key={level}>
      <line x1={scale(level)} x2={scale(level)} y1={from} y2={to} stroke={lineOf(level, levels)} />
      <text x={scale(level)} y={to + 16} fontSize="11" textAnchor="middle" fill="var(--soft)" className="num">
        {text(level)}
      </text>
    </g>
  ));
}

/** Zero stands out among other levels. */
const lineOf = (level: number, levels: number[]) => (level === 0 && levels.length > 1 ? "var(--soft)" : "var(--line)");

/** What an axis is of: below it, or beside it from bottom to top. */
export function AxisName({ x, y, isUp = false, children }: { x: number; y: number; isUp?: boolean; children: string }) {
  return (
    <text
      transform={`translate(${x} ${y})${isUp ? " rotate(-90)" : ""}`}
      fontSize="12"
      fontWeight="600"
      textAnchor="middle"
      fill="var(--ink)"
    >
      {children}
    </text>
  );
}

/** Words on a plot, readable over whatever is drawn under them. */
export function PlotWord({
  x,
  y,
  tone,
  isLeft,
  size = 12,
  children,
}: {
  x: number;
  y: number;
  tone: string;
  /** Whether they end at `x` instead of beginning there. */
  isLeft: boolean;
  size?: number;
  children: string;
}) {
  return (
    <text
      x={x}
      y={y}
      textAnchor={isLeft ? "end" : "start"}
      fontSize={size}
      fontStyle="italic"
      stroke="var(--paper)"
      strokeWidth="3"
      paintOrder="stroke"
      fill={tone}
    >
      {children}
    </text>
  );
}
