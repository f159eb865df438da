import { useQuery } from "@tanstack/react-query";
import { Link, Outlet, useNavigate, useRouterState } from "@tanstack/react-router";
import { BookOpen, GitBranch, Grid3x3, Library, Moon, ScrollText, Ship, Spline, Sun, Waves } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { leftOutQuery, marketsQuery, scriptsQuery } from "@/api";
import { type Command, later, LiveRegion, Notice, setTheme, useCommands, useTheme } from "@/ui";
import { Palette } from "./Palette"; // not fetched apart: a hand types on at once, and no key may go elsewhere
import { placeAsLeft, type Place } from "./places";

const KeyboardCard = later(() => import("./KeyboardCard").then((found) => found.KeyboardCard));

const PLACES = [
  { to: "/", label: "Workbench", icon: Spline },
  { to: "/report", label: "Report", icon: ScrollText },
  { to: "/trials", label: "Trials", icon: Grid3x3 },
  { to: "/logbook", label: "Logbook", icon: GitBranch },
  { to: "/markets", label: "Markets", icon: Waves },
  { to: "/shelf", label: "Shelf", icon: Library },
  { to: "/practice", label: "Practice", icon: Ship },
  { to: "/guide", label: "Guide", icon: BookOpen },
] as const satisfies readonly { to: Place; label: string; icon: unknown }[];

/** The rail at the left edge and the place beside it. */
export function Frame() {
  const theme = useTheme();
  const other = theme === "daychart" ? "nightchart" : "daychart";
  const [sheet, setSheet] = useState<"palette" | "keys" | null>(null);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const isTyping =
        event.target instanceof HTMLElement &&
        event.target.closest("input, textarea, select, [contenteditable=true]") !== null;
      if ((event.ctrlKey || event.metaKey) && event.key === "k") setSheet("palette");
      else if (event.key === "?" && !isTyping) setSheet("keys");
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", press, { capture: true });
    return () => window.removeEventListener("keydown", press, { capture: true });
  }, []);
  useFrameCommands(other, () => setSheet("keys"));
  const path = useRouterState({ select: (state) => state.resolvedLocation?.pathname });
  useArrival(path);
  return (
    <div className="frame flex h-full">
      <a
        href="#place"
        className="skip-link"
        onClick={(event) => (event.preventDefault(), document.getElementById("place")?.focus())}
      >
        Skip to the place
      </a>
      <nav aria-label="Places" className="flex w-16 flex-none flex-col items-stretch border-r border-line pt-2">
        <span aria-hidden className="mx-auto mb-3 border-b-2 border-short px-1 font-serif text-2xl italic">
          S
        </span>
        {PLACES.map(({ to, label, icon: Icon }) => (
          <Link
            key={to}
            to={to}
            search={() => placeAsLeft(to)}
            activeOptions={{ exact: true, includeSearch: false }}
            className="flex flex-col items-center gap-1 border-l-2 border-transparent py-2 text-mark leading-3 text-soft hover:text-base-content"
            activeProps={{ className: "!border-short !text-base-content font-semibold" }}
          >
            <Icon size={17} strokeWidth={1.5} aria-hidden />
            {label}
          </Link>
        ))}
        <button
          type="button"
          className="mt-auto flex cursor-pointer flex-col items-center gap-1 py-3 text-mark leading-3 text-soft hover:text-base-content"
          onClick={() => setTheme(other)}
          aria-label={`Draw by ${theme === "daychart" ? "night" : "day"}`}
        >
          {theme === "daychart" ? (
            <Moon size={16} strokeWidth={1.5} aria-hidden />
          ) : (
            <Sun size={16} strokeWidth={1.5} aria-hidden />
          )}
          {theme === "daychart" ? "Night" : "Day"}
        </button>
      </nav>
      <div className="flex min-w-0 flex-1 flex-col">
        <LeftOut />
        <main id="place" tabIndex={-1} className="min-h-0 flex-1 outline-none">
          <Outlet />
        </main>
      </div>
      <LiveRegion />
      {sheet === "palette" && <Palette onClose={() => setSheet((now) => (now === "palette" ? null : now))} />}
      {sheet === "keys" && <KeyboardCard onClose={() => setSheet(null)} />}
    </div>
  );
}

/** What lists are without, as it cannot be read. */
function LeftOut() {
  const told = useQuery(leftOutQuery).data ?? [];
  const [first] = told;
  if (!first) return null;
  return (
    <Notice
      text={`${first[0]!.toUpperCase()}${first.slice(1)}. ${told.length > 1 ? `So it is with ${told.length - 1} more; the server's log names them. ` : ""}A copy of the data folder may have it whole.`}
    />
  );
}

const TITLES: Partial<Record<string, string>> = { "/markets": "Markets", "/shelf": "Shelf", "/guide": "Guide" };

/** At another place the focus is at its beginning, unless something there has taken it; the title says where one is. */
function useArrival(path: string | undefined): void {
  const before = useRef<string | undefined>(undefined);
  useEffect(() => {
    const title = path && TITLES[path];
    if (title) document.title = `${title} · Skelb`;
    const isFirst = before.current === undefined;
    before.current = path;
    if (isFirst) return;
    const timer = window.setTimeout(() => {
      if (document.activeElement === document.body || document.activeElement === null)
        document.getElementById("place")?.focus();
    }, 50);
    return () => window.clearTimeout(timer);
  }, [path]);
}

/** Going to a place, opening a script or a market: what can be done from anywhere. */
function useFrameCommands(other: "daychart" | "nightchart", onKeys: () => void): void {
  const navigate = useNavigate();
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const everywhere = useMemo<Command[]>(
    () => [
      ...PLACES.map(({ to, label }) => ({
        name: `Go to ${label}`,
        act: () => void navigate({ to, search: placeAsLeft(to) }),
      })),
      { name: other === "nightchart" ? "Draw by night" : "Draw by day", act: () => setTheme(other) },
      { name: "Show the keyboard card", keys: "?", act: onKeys },
    ],
    // The card is opened by state setters, which stay the same.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [navigate, other],
  );
  const opened = useMemo<Command[]>(
    () => [
      ...(scripts.data ?? []).map(({ title }) => ({
        name: `Open ${title}`,
        act: () =>
          void navigate({
            to: "/",
            search: { ...placeAsLeft("/"), script: title, version: undefined, inputs: undefined },
          }),
      })),
      ...(markets.data ?? []).map(({ symbol }) => ({
        name: `Look at ${symbol}`,
        act: () =>
          void navigate({ to: "/", search: { ...placeAsLeft("/"), market: symbol, from: undefined, to: undefined } }),
      })),
    ],
    [navigate, scripts.data, markets.data],
  );
  useCommands("Anywhere", everywhere);
  useCommands("Open", opened);
}
