import { useEffect, useState, type RefObject } from "react";
import type { Brought } from "@/api";
import type { Answers, State } from "./model";

interface Props {
  rows: RefObject<HTMLDivElement | null>;
  brought: Brought;
  answers: Answers;
  near: number;
  /** Which question is open again: its box moves what is under it. */
  again: string | null;
}

interface Thread {
  source: number;
  from: number;
  to: number;
  state: State;
}

const WIDTH = 112;
const STROKES: Record<State, string> = { sure: "var(--long)", asked: "var(--brass)", left: "var(--loss)" };

/** The threads in the margin, from each line to what came of it. */
export function Threads({ rows, brought, answers, near, again }: Props) {
  const [threads, setThreads] = useState<Thread[]>([]);
  useEffect(() => {
    const host = rows.current!;
    const measure = () => setThreads(measured(host, brought));
    measure();
    const watch = new ResizeObserver(measure); // lines wrap and questions open and close
    watch.observe(host);
    host.querySelectorAll("fieldset").forEach((box) => watch.observe(box));
    return () => watch.disconnect();
  }, [rows, brought, answers, again]);
  const open = new Set(
    brought.questions.filter((question) => !(question.id in answers)).map((question) => question.line),
  );
  return (
    <svg className="absolute inset-0 h-full w-full" data-testid="threads">
      {threads.map((thread, place) => (
        <ThreadLine
          key={place}
          thread={thread}
          isNear={thread.source === near}
          sign={thread.state === "left" ? "×" : thread.state === "asked" ? (open.has(thread.source) ? "?" : "✓") : ""}
        />
      ))}
    </svg>
  );
}

function ThreadLine({ thread, isNear, sign }: { thread: Thread; isNear: boolean; sign: string }) {
  const { from, to, state } = thread;
  const stroke = STROKES[state];
  const middle = WIDTH / 2;
  return (
    <g stroke={stroke} fill="none">
      <path
        d={`M4 ${from}C${middle} ${from} ${middle} ${to} ${WIDTH - 4} ${to}`}
        strokeWidth={isNear || state === "asked" ? 2 : 1}
        strokeDasharray={state === "left" ? "3 3" : undefined}
      />
      <circle cx={4} cy={from} r={2.5} fill={stroke} stroke="none" />
      <circle cx={WIDTH - 4} cy={to} r={2.5} fill={stroke} stroke="none" />
      {sign && (
        <>
          <circle cx={middle} cy={(from + to) / 2} r={8} fill="var(--paper)" />
          <text
            x={middle}
            y={(from + to) / 2 + 4}
            textAnchor="middle"
            fontSize="11"
            fill={stroke}
            stroke="none"
            className="font-sans font-semibold"
          >
            {sign}
          </text>
        </>
      )}
    </g>
  );
}

/** Where the middle of each line stands, from the top of all rows; of several lines of one state the first. */
function measured(host: HTMLElement, brought: Brought): Thread[] {
  const top = host.getBoundingClientRect().top;
  const middle = (row: Element | null) => {
    if (!row) return null;
    const box = row.getBoundingClientRect();
    return box.top + Math.min(box.height, 20) / 2 - top;
  };
  const found: Thread[] = [];
  const reasons = new Set<number>();
  brought.lines.forEach((line, place) => {
    if (line.source === 0 || (line.state === "left" && reasons.has(line.source))) return;
    if (line.state === "left") reasons.add(line.source);
    const from = middle(host.querySelector(`[data-from="${line.source}"]`));
    const to = middle(host.querySelector(`[data-to="${place}"]`));
    if (from !== null && to !== null) found.push({ source: line.source, from, to, state: line.state });
  });
  return found;
}
