/** What a script's Python file is called: its title in small letters, `strategy.py` without one. */
export function fileName(text: string): string {
  const title = /^title\s+"((?:[^"\\]|\\.)*)"/m.exec(text)?.[1] ?? "";
  const plain = title
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "_")
    .replace(/^_+|_+$/g, "");
  return `${plain || "strategy"}.py`;
}
