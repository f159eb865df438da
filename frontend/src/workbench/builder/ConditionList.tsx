import type { Condition } from "@/api";
import { MoveFan, plain } from "@/ui";
import { SLOTS, writtenAs, type Slot, type Source } from "./model";

interface Props {
  sources: Source[];
  chosen: Record<Slot, string[]>;
  isMirrored: boolean;
  onPress: (slot: Slot, text: string) => void;
  onRemove: (title: string) => void;
}

/** What the scripts name, how often each came, what followed; each can be pressed or dragged into the plan. */
export function ConditionList({ sources, chosen, isMirrored, onPress, onRemove }: Props) {
  return (
    <div className="min-h-0 overflow-auto border-r border-line bg-base-100 px-4 py-2">
      <h2 className="flex items-baseline">
        Conditions
        <span className="ml-auto text-small font-normal text-soft">how often · the next 20 bars</span>
      </h2>
      {sources.map((source) => (
        <section key={source.title} aria-label={`Conditions of ${source.title}`}>
          {sources.length > 1 && (
            <h3 className="mt-2 flex items-baseline border-b border-line pb-1 text-soft italic">
              {source.title}
              {source.alias !== null && (
                <button
                  type="button"
                  className="ml-auto cursor-pointer text-note not-italic hover:underline"
                  onClick={() => onRemove(source.title)}
                >
                  leave out
                </button>
              )}
            </h3>
          )}
          {source.problem && <p className="py-2 text-loss">{source.problem}</p>}
          {source.conditions.length === 0 && !source.problem && (
            <p className="py-2 text-soft">
              This script names no condition. Name one, such as: up = close &gt; sma(close, 20)
            </p>
          )}
          {source.conditions.map((condition) => (
            <Row
              key={condition.text}
              condition={condition}
              text={writtenAs(condition, source.alias)}
              chosen={chosen}
              isMirrored={isMirrored}
              onPress={onPress}
            />
          ))}
        </section>
      ))}
    </div>
  );
}

function Row({
  condition,
  text,
  chosen,
  isMirrored,
  onPress,
}: {
  condition: Condition;
  text: string | null;
  chosen: Record<Slot, string[]>;
  isMirrored: boolean;
  onPress: (slot: Slot, text: string) => void;
}) {
  // A condition that is yes on many bars is a state: its share says more than its beginnings.
  const often = condition.share > 0.1 ? `${plain(condition.share * 100, 0)} %` : `${plain(condition.count, 0)}×`;
  return (
    <div
      className={`border-b border-line py-2 ${text === null ? "opacity-60" : "cursor-grab"}`}
      draggable={text !== null}
      onDragStart={(event) => text !== null && event.dataTransfer.setData("text/plain", text)}
      data-testid="condition"
    >
      <div className="flex items-center gap-2">
        <span className="num min-w-0 flex-1 font-semibold break-words">{condition.text}</span>
        <span
          className="num flex-none"
          title={`turned yes ${plain(condition.count, 0)} times, ${plain(condition.per_year, 0)} a year; yes on ${plain(condition.share * 100, 1)} % of bars`}
        >
          {often}
        </span>
        <MoveFan of={condition} />
      </div>
      {condition.meaning && (
        <p className="num truncate text-small text-soft" title={condition.meaning}>
          {condition.meaning}
        </p>
      )}
      {text === null ? (
        <p className="text-small text-soft">stands on an input of its script, so it cannot be used from outside</p>
      ) : (
        <p className="mt-1 flex flex-wrap gap-1">
          {SLOTS.map(({ slot, press, tone }) => {
            const isOn = chosen[slot].includes(text);
            const isMoot = isMirrored && (slot === "goShort" || slot === "leaveShort");
            return (
              <button
                key={slot}
                type="button"
                aria-pressed={isOn}
                disabled={isMoot}
                className={`cursor-pointer rounded-full border px-2 text-small leading-[18px] disabled:opacity-40 ${isOn ? (tone === "long" ? "border-long bg-long text-base-100" : tone === "short" ? "border-short bg-short text-base-100" : "border-base-content bg-base-content text-base-100") : "border-line text-soft hover:border-soft"}`}
                onClick={() => onPress(slot, text)}
              >
                {press}
              </button>
            );
          })}
        </p>
      )}
    </div>
  );
}
