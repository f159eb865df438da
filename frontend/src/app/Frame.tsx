import { useQuery } from "@tanstack/react-query";
import { Link, Outlet, useNavigate } from "@tanstack/react-router";
import { BookOpen, Grid3x3, Library, Moon, Spline, Sun, Waves } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { marketsQuery, scriptsQuery } from "@/api";
import { setTheme, useCommands, useTheme, type Command } from "@/ui";
import { KeyboardCard } from "./KeyboardCard";
import { Palette } from "./Palette";

const PLACES = [
  { to: "/", label: "Workbench", icon: Spline },
  { to: "/trials", label: "Trials", icon: Grid3x3 },
  { to: "/markets", label: "Markets", icon: Waves },
  { to: "/shelf", label: "Shelf", icon: Library },
  { to: "/guide", label: "Guide", icon: BookOpen },
] as const;

/** The rail at the left edge and the place beside it. */
export function Frame() {
  const theme = useTheme();
  const other = theme === "daychart" ? "nightchart" : "daychart";
  const [sheet, setSheet] = useState<"palette" | "keys" | null>(null);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const isTyping = event.target instanceof HTMLElement && event.target.closest("input, textarea, select, [contenteditable=true]") !== null;
      if ((event.ctrlKey || event.metaKey) && event.key === "k") setSheet("palette");
      else if (event.key === "?" && !isTyping) setSheet("keys");
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", press, { capture: true });
    return () => window.removeEventListener("keydown", press, { capture: true });
  }, []);
  useFrameCommands(other, () => setSheet("keys"));
  return (
    <div className="flex h-full">
      <nav aria-label="Places" className="flex w-16 flex-none flex-col items-stretch border-r border-line pt-2">
        <span aria-hidden className="mx-auto mb-3 border-b-2 border-short px-1 font-serif text-2xl italic">
          S
        </span>
        {PLACES.map(({ to, label, icon: Icon }) => (
          <Link
            key={to}
            to={to}
            activeOptions={{ exact: true, includeSearch: false }}
            className="flex flex-col items-center gap-1 border-l-2 border-transparent py-2 text-[10px] leading-3 text-soft hover:text-base-content"
            activeProps={{ className: "!border-short !text-base-content font-semibold" }}
          >
            <Icon size={17} strokeWidth={1.5} aria-hidden />
            {label}
          </Link>
        ))}
        <button
          type="button"
          className="mt-auto flex cursor-pointer flex-col items-center gap-1 py-3 text-[10px] leading-3 text-soft hover:text-base-content"
          onClick={() => setTheme(other)}
          aria-label={`Draw by ${theme === "daychart" ? "night" : "day"}`}
        >
          {theme === "daychart" ? <Moon size={16} strokeWidth={1.5} aria-hidden /> : <Sun size={16} strokeWidth={1.5} aria-hidden />}
          {theme === "daychart" ? "Night" : "Day"}
        </button>
      </nav>
      <main className="min-w-0 flex-1">
        <Outlet />
      </main>
      {sheet === "palette" && <Palette onClose={() => setSheet((now) => (now === "palette" ? null : now))} />}
      {sheet === "keys" && <KeyboardCard onClose={() => setSheet(null)} />}
    </div>
  );
}

/** Going to a place, opening a script or a market: what can be done from anywhere. */
function useFrameCommands(other: "daychart" | "nightchart", onKeys: () => void): void {
  const navigate = useNavigate();
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const everywhere = useMemo<Command[]>(
    () => [
      ...PLACES.map(({ to, label }) => ({ name: `Go to ${label}`, act: () => void navigate({ to }) })),
      { name: other === "nightchart" ? "Draw by night" : "Draw by day", act: () => setTheme(other) },
      { name: "Show the keyboard card", keys: "?", act: onKeys },
    ],
    // The card is opened by state setters, which stay the same.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [navigate, other],
  );
  const opened = useMemo<Command[]>(
    () => [
      ...(scripts.data ?? []).map(({ title, home }) => ({
        name: `Open ${title}`,
        act: () => void navigate({ to: "/", search: { script: title, ...(home ? { market: home.market, timeframe: home.timeframe } : {}) } }),
      })),
      ...(markets.data ?? []).map(({ symbol }) => ({ name: `Look at ${symbol}`, act: () => void navigate({ to: "/", search: (before: object) => ({ ...before, market: symbol, from: undefined, to: undefined }) }) })),
    ],
    [navigate, scripts.data, markets.data],
  );
  useCommands("Anywhere", everywhere);
  useCommands("Open", opened);
}
