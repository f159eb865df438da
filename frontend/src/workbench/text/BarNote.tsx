import type { BarExplained } from "@/api";
import { Said, timeText } from "@/ui";

interface Props {
  found: BarExplained;
  /** Where the signals of the whole run went would tell of bars that are covered. */
  isCovered: boolean;
  zone: string;
}

/** What the run did on the bar that is read, and why it did not enter. */
export function BarNote({ found, isCovered, zone }: Props) {
  const said = found.happened.length ? found.happened : found.why;
  const signals = isCovered ? [] : Object.entries(found.signals).map(([side, sentence]) => `${side}: ${sentence}`);
  return (
    <div
      className="max-h-[34%] flex-none overflow-auto border-t border-line px-4 py-2"
      role="region"
      aria-label="Why here"
      data-testid="bar-note"
      data-time={found.time}
    >
      <p className="flex items-baseline gap-2">
        <span className="num text-soft">{timeText(Date.parse(found.time) / 1000, zone, "full")}</span>
        <span
          className={found.position === "long" ? "text-long" : found.position === "short" ? "text-short" : "text-soft"}
        >
          {found.position ?? "flat"}
        </span>
      </p>
      {[...said, ...found.waiting].map((line) => (
        <p key={line}>
          <Said text={line} />
        </p>
      ))}
      {signals.length > 0 && (
        <details className="mt-1 text-soft">
          <summary className="cursor-pointer">Where the signals of the whole run went</summary>
          {signals.map((line) => (
            <p key={line}>{line}</p>
          ))}
        </details>
      )}
    </div>
  );
}
