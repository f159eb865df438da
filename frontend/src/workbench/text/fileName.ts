import { titleIn } from "../model";

/** What a script's Python file is called: its title in small letters, `strategy.py` without one. */
export function fileName(text: string): string {
  const plain = titleIn(text)
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "_")
    .replace(/^_+|_+$/g, "");
  return `${plain || "strategy"}.py`;
}
