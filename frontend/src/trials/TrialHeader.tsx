import { useEffect, useMemo, useRef, type ReactNode } from "react";
import { useCommands } from "@/ui";
import type { Head } from "./desk";
import { FACES } from "./model";

/** The sentence that says what is done, the faces of the place, and what starts it. */
export function TrialHeader({ head, children, buttons }: { head: Head; children: ReactNode; buttons?: ReactNode }) {
  const go = useRef(head.onFace);
  useEffect(() => {
    go.current = head.onFace;
  });
  useCommands(
    "Trials",
    useMemo(() => FACES.map(({ face, label }) => ({ name: label, act: () => go.current(face) })), []),
  );
  return (
    <header className="flex-none border-b border-line px-4 pt-1 text-sentence text-soft">
      <h1 className="sr-only">Trials</h1>
      <div role="group" aria-label="What is done" className="flex gap-4 text-body">
        {FACES.map(({ face, label }) => (
          <button
            key={face}
            type="button"
            aria-pressed={face === head.face}
            className={`cursor-pointer border-b-2 py-[3px] ${face === head.face ? "border-short font-semibold text-base-content" : "border-transparent hover:text-base-content"}`}
            onClick={() => head.onFace(face)}
          >
            {label}
          </button>
        ))}
      </div>
      <div className="flex min-h-[40px] items-center gap-4">
        <div className="flex-1">{children}</div>
        {buttons}
      </div>
    </header>
  );
}
