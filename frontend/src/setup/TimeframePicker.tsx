import { useState } from "react";
import { Picker } from "@/ui";
import { readTimeframe, TIMEFRAMES } from "./model";

interface Props {
  label: string;
  value: string;
  /** What is proposed besides the usual ones, such as a word for none. */
  extra?: { value: string; label: string }[];
  onChange: (timeframe: string) => void;
}

const OTHER = "other…";

/** A timeframe: one of the usual, or any other of the language, typed. */
export function TimeframePicker({ label, value, extra = [], onChange }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  if (typed === null)
    return (
      <Picker
        label={label}
        value={value}
        options={[
          ...extra,
          ...TIMEFRAMES.map((item) => ({ value: item, label: item })),
          { value: OTHER, label: OTHER },
        ]}
        onChange={(next) => (next === OTHER ? setTyped("") : onChange(next))}
      />
    );
  const found = readTimeframe(typed);
  const isWrong = typed.trim() !== "" && found === null;
  const take = () => {
    if (found !== null && found !== value) onChange(found);
    if (!isWrong) setTyped(null);
  };
  return (
    <span className="inline-flex items-baseline gap-1">
      <input
        autoFocus
        className="picker num w-16"
        aria-label={`${label}, typed`}
        aria-invalid={isWrong}
        placeholder="90m, 6h"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={take}
        onKeyDown={(event) => {
          if (event.key === "Enter") take();
          else if (event.key === "Escape") setTyped(null);
        }}
      />
      {isWrong && (
        <span role="alert" className="text-note text-loss">
          minutes or hours up to a day, 1d or 1w
        </span>
      )}
    </span>
  );
}
