import type { KeyboardEvent } from "react";

interface Props<T extends string> {
  label: string;
  names: readonly T[];
  chosen: T;
  /** Ids of the tabs and of their panels are made of these and the name. */
  of: string;
  className?: string;
  onChoose: (name: T) => void;
}

/** Tabs in a row: one stop of the Tab key, moved along by the arrows. */
export function Tabs<T extends string>({ label, names, chosen, of, className = "flex gap-4", onChoose }: Props<T>) {
  const move = (event: KeyboardEvent<HTMLDivElement>) => {
    const at = names.indexOf(chosen);
    const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: names.length - 1 }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    const next = names[(to + names.length) % names.length]!;
    onChoose(next);
    document.getElementById(`tab-${of}-${next}`)?.focus();
  };
  return (
    <div role="tablist" aria-label={label} className={className} onKeyDown={move}>
      {names.map((name) => (
        <button
          key={name}
          type="button"
          role="tab"
          id={`tab-${of}-${name}`}
          tabIndex={chosen === name ? 0 : -1}
          aria-selected={chosen === name}
          aria-controls={`face-${of}-${name}`}
          className={`cursor-pointer border-b-2 pb-1 ${chosen === name ? "border-base-content font-semibold" : "border-transparent text-soft"}`}
          onClick={() => onChoose(name)}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
