import { useState } from "react";
import { dateText } from "@/ui";
import { readDay } from "./model";

interface Props {
  label: string;
  /** The day, as 2024-01-31; empty for none. */
  value: string;
  className?: string;
  placeholder?: string;
  onDay: (day: string) => void;
}

/** A day, shown as everywhere and typed in that form or as 2024-01-31; taken over when the typing is done. */
export function DateField({ label, value, className = "field num w-28", placeholder, onDay }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const isWrong = typed !== null && typed.trim() !== "" && readDay(typed) === null;
  const take = () => {
    const day = typed === null ? null : readDay(typed);
    if (day !== null && day !== value) onDay(day);
    if (!isWrong) setTyped(null);
  };
  return (
    <span className="inline-flex flex-col">
      <input
        className={className}
        aria-label={label}
        aria-invalid={isWrong}
        title={`${label}: 31 Jan 2024 or 2024-01-31`}
        placeholder={placeholder}
        value={typed ?? (value ? dateText(value) : "")}
        onChange={(event) => setTyped(event.target.value)}
        onFocus={(event) => event.target.select()}
        onBlur={take}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.preventDefault();
            take();
          } else if (event.key === "Escape" && typed !== null) {
            event.stopPropagation();
            setTyped(null);
          }
        }}
      />
      {isWrong && (
        <span role="alert" className="text-small text-loss">
          a day such as 31 Jan 2024
        </span>
      )}
    </span>
  );
}
