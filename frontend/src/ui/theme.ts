import { useEffect, useState } from "react";

export type ThemeName = "daychart" | "nightchart";
const KEY = "skelb-theme";
const listeners = new Set<() => void>();

export function currentTheme(): ThemeName {
  return document.documentElement.dataset.theme === "nightchart" ? "nightchart" : "daychart";
}

export function setTheme(name: ThemeName): void {
  document.documentElement.dataset.theme = name;
  localStorage.setItem(KEY, name);
  listeners.forEach((listener) => listener());
}

export function restoreTheme(): void {
  const kept = localStorage.getItem(KEY);
  if (kept === "nightchart" || kept === "daychart") document.documentElement.dataset.theme = kept;
}

export function useTheme(): ThemeName {
  const [name, setName] = useState(currentTheme);
  useEffect(() => {
    const listener = () => setName(currentTheme());
    listeners.add(listener);
    return () => void listeners.delete(listener);
  }, []);
  return name;
}

/** What drawings on canvas depend on besides their data: the theme, and whether the system says the colours. */
export function useColors(): string {
  const [now, setNow] = useState(() => `${currentTheme()} ${FORCED.matches}`);
  useEffect(() => {
    const listener = () => setNow(`${currentTheme()} ${FORCED.matches}`);
    listeners.add(listener);
    return () => void listeners.delete(listener);
  }, []);
  return now;
}

const TOKENS = [
  "paper",
  "panel",
  "line",
  "ink",
  "soft",
  "long",
  "short",
  "gain",
  "loss",
  "shallow",
  "brass",
  "deep",
  "red",
  "orange",
  "gold",
  "green",
  "blue",
  "violet",
] as const;
export type Token = (typeof TOKENS)[number];
export type Palette = Record<Token, string>;

const FORCED = window.matchMedia("(forced-colors: active)");
/** What is drawn with, where the system says which colours there are. */
const SYSTEM: Palette = {
  paper: "Canvas",
  panel: "Canvas",
  line: "GrayText",
  ink: "CanvasText",
  soft: "CanvasText",
  long: "LinkText",
  short: "VisitedText",
  gain: "CanvasText",
  loss: "CanvasText",
  shallow: "Highlight",
  brass: "Mark",
  deep: "LinkText",
  red: "CanvasText",
  orange: "Mark",
  gold: "Mark",
  green: "CanvasText",
  blue: "LinkText",
  violet: "VisitedText",
};
FORCED.addEventListener("change", () => listeners.forEach((listener) => listener()));

/** The theme's colours, for drawing on canvas; the system's own in forced colours. */
export function palette(): Palette {
  if (FORCED.matches) return SYSTEM;
  const style = getComputedStyle(document.documentElement);
  return Object.fromEntries(TOKENS.map((name) => [name, style.getPropertyValue(`--${name}`).trim()])) as Palette;
}

export function colorOf(colors: Palette, word: string): string {
  return word in colors ? colors[word as Token] : colors.ink;
}
