import { useState } from "react";

interface Props {
  value: number;
  onChange: (value: number) => void;
  /** What it is called, where no words around it are its label. */
  label?: string;
  least?: number;
  most?: number;
  isWhole?: boolean;
  step?: number;
  className?: string;
}

/** A number to type: what is typed stays as it is, also on its way to one, and counts as soon as it can be. */
export function NumberField({ value, onChange, label, least, most, isWhole = true, step, className = "" }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const canBe = (text: string) => {
    const number = Number(text);
    if (text.trim() === "" || !Number.isFinite(number) || (isWhole && !Number.isInteger(number))) return false;
    return number >= (least ?? -Infinity) && number <= (most ?? Infinity);
  };
  return (
    <input
      type="number"
      min={least}
      max={most}
      step={step ?? (isWhole ? 1 : "any")}
      aria-label={label}
      aria-invalid={typed !== null && !canBe(typed) ? true : undefined}
      className={`num ${className}`}
      value={typed ?? value}
      onChange={(event) => {
        setTyped(event.target.value);
        if (canBe(event.target.value)) onChange(Number(event.target.value));
      }}
      onBlur={() => setTyped(null)}
    />
  );
}
