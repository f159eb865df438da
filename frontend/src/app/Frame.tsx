import { Link, Outlet } from "@tanstack/react-router";
import { BookOpen, Grid3x3, Library, Moon, Spline, Sun, Waves } from "lucide-react";
import { setTheme, useTheme } from "@/ui";

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
    </div>
  );
}
