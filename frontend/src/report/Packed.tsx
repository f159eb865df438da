import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { catalogueQuery, type Verified } from "@/api";
import { tellAll } from "@/ui";
import { Survey } from "./Survey";

/** A run that came in a pack, made again with its own bars: whether it comes to the same, and its report. */
export function Packed({ name, found, onClose }: { name: string; found: Verified; onClose: () => void }) {
  const catalogue = useQuery(catalogueQuery);
  useEffect(() => tellAll(found.sentence), [found.sentence]);
  return (
    <section className="flex h-full flex-col" data-testid="packed">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-3 border-b border-line px-4 py-1 text-body text-soft">
        <h1 className="mr-auto text-body font-normal">
          Report of the pack <b className="text-base-content">{name}</b>: {found.report.title || "untitled"}, packed by
          Skelb {found.engine_version}, made again here by {found.report.made.engine_version}
        </h1>
        <button type="button" className="plain-button" onClick={onClose}>
          Close the pack
        </button>
      </header>
      <div className="min-h-0 flex-1 overflow-auto px-4 py-3">
        <p
          className={`mb-3 border-l-2 pl-3 text-sentence font-semibold ${found.equal ? "border-gain text-gain" : "border-loss text-loss"}`}
          data-testid="verified"
        >
          {found.equal ? "✓" : "✕"} {found.sentence}
        </p>
        {found.differences.length > 1 && (
          <ul className="mb-3 text-note text-soft">
            {found.differences.slice(1).map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        )}
        {catalogue.data && <Survey report={found.report} figures={catalogue.data.figures} held="holding" />}
      </div>
    </section>
  );
}
