import { Redo2, Undo2 } from "lucide-react";
import { useRef, useState } from "react";
import { plain, signed } from "@/ui";
import type { useSteps } from "./steps";

/** Undo, redo, and all steps of the strategy with what each earned. */
export function StepsMenu({ steps, isCovered }: { steps: ReturnType<typeof useSteps>; isCovered: boolean }) {
  const [isOpen, setOpen] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const close = () => {
    setOpen(false);
    button.current?.focus();
  };
  const before = steps.steps[steps.at];
  const after = steps.steps[steps.at + 1];
  return (
    <span className="inline-flex items-center" onKeyDown={(event) => event.key === "Escape" && isOpen && close()}>
      <button
        type="button"
        className="bar-button"
        aria-label="Undo a step"
        title={before && steps.at > 0 ? `Undo: ${before.words} (Alt Z)` : "Nothing to undo"}
        disabled={steps.at <= 0}
        onClick={steps.undo}
      >
        <Undo2 size={14} aria-hidden />
      </button>
      <button
        type="button"
        className="bar-button"
        aria-label="Redo a step"
        title={after ? `Redo: ${after.words} (Alt Shift Z)` : "Nothing to redo"}
        disabled={!after}
        onClick={steps.redo}
      >
        <Redo2 size={14} aria-hidden />
      </button>
      <button
        ref={button}
        type="button"
        className="bar-button"
        aria-expanded={isOpen}
        title="Every step of the strategy since it was opened, with what each earned"
        disabled={steps.steps.length < 2 || isCovered}
        onClick={() => setOpen(!isOpen)}
      >
        Steps
      </button>
      {isOpen && !isCovered && (
        <>
          <span className="fixed inset-0 z-20" aria-hidden onClick={() => setOpen(false)} />
          <ol
            aria-label="Steps"
            className="absolute top-9 right-2 left-2 z-30 max-h-96 overflow-auto border border-line bg-base-100 py-1 shadow-sm"
          >
            {steps.steps.map((step, place) => {
              const earlier = steps.steps[place - 1];
              const change = step.net !== null && earlier && earlier.net !== null ? step.net - earlier.net : null;
              return (
                <li key={`${step.at} ${place}`}>
                  <button
                    type="button"
                    aria-current={place === steps.at ? "step" : undefined}
                    className={`flex w-full cursor-pointer items-baseline gap-2 px-3 py-1 text-left hover:bg-shallow focus:bg-shallow ${place === steps.at ? "border-l-[3px] border-l-base-content font-semibold" : place > steps.at ? "text-soft" : ""}`}
                    onClick={() => (steps.go(place), close())}
                  >
                    <span className="min-w-0 flex-1 truncate" title={step.words}>
                      {step.words}
                    </span>
                    <span className="num flex-none text-note">{step.net === null ? "" : signed(step.net, 0)}</span>
                    <span
                      className={`num w-16 flex-none text-right text-small font-normal ${change === null ? "" : change >= 0 ? "text-gain" : "text-loss"}`}
                    >
                      {change === null ? "" : `(${signed(change, 0)})`}
                    </span>
                    <span className="num w-16 flex-none text-right text-small font-normal text-soft">
                      {step.trades === null ? "" : `${plain(step.trades, 0)} trades`}
                    </span>
                  </button>
                </li>
              );
            })}
          </ol>
        </>
      )}
    </span>
  );
}
