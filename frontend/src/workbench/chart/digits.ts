import { plain } from "@/ui";

/** Digits that show a price to its tick. */
export function priceDigits(tick: number): number {
  const text = tick.toString();
  if (text.includes("e-")) return Number(text.split("e-")[1]);
  return text.split(".")[1]?.length ?? 0;
}

export function axisText(value: number, digits: number): string {
  if (Math.abs(value) >= 100_000) return `${plain(value / 1000, 0)}k`;
  return plain(value, digits);
}
