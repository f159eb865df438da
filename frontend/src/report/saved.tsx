import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import type { FigureInfo, Report } from "@/api";
import "../theme.css";
import { Survey } from "./Survey";
import { dateText, setTheme, useTheme } from "@/ui";

/** A report that was saved: it stands alone, and asks nobody. */
interface Saved {
  report: Report;
  figures: FigureInfo[];
}

function SavedReport({ report, figures }: Saved) {
  const theme = useTheme();
  const markets = report.made.markets.map((market) => market.symbol).join(", ");
  return (
    <main className="saved-report p-6">
      <header className="mb-4 flex flex-wrap items-baseline gap-x-3 border-b border-line pb-3">
        <h1 className="text-title">{report.title || "Untitled"}</h1>
        <p className="text-soft">
          on {markets} at {report.made.timeframe}, {dateText(report.first)} to {dateText(report.last)}; by Skelb{" "}
          {report.made.engine_version}
        </p>
        <button
          type="button"
          className="plain-button no-print ml-auto"
          onClick={() => setTheme(theme === "daychart" ? "nightchart" : "daychart")}
        >
          Draw by {theme === "daychart" ? "night" : "day"}
        </button>
      </header>
      <Survey report={report} figures={figures} held="holding" />
    </main>
  );
}

const saved = JSON.parse(document.getElementById("saved-report")!.textContent ?? "{}") as Saved;
if (window.matchMedia("(prefers-color-scheme: dark)").matches) document.documentElement.dataset.theme = "nightchart";
document.title = `${saved.report.title || "Untitled"} · Report`;
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <SavedReport {...saved} />
  </StrictMode>,
);
