import { X } from "lucide-react";
import type { ReactNode } from "react";

interface Props {
  label: string;
  testId: string;
  /** What the closing button closes, for whoever cannot see it: “the table”. */
  what: string;
  /** What stands in its head. */
  head: ReactNode;
  children: ReactNode;
  onClose: () => void;
}

/** Something that lies over the chart and the columns beside it; Escape goes back to them. */
export function OverChart({ label, testId, what, head, children, onClose }: Props) {
  return (
    <section
      aria-label={label}
      className="absolute inset-0 z-30 flex flex-col bg-base-100"
      data-testid={testId}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        onClose();
      }}
    >
      <header className="flex h-9 flex-none items-center gap-3 border-b border-line px-3">
        {head}
        <button
          type="button"
          className="bar-button"
          aria-label={`Close ${what}`}
          title="Back to the chart (Escape)"
          onClick={onClose}
        >
          <X size={14} aria-hidden />
        </button>
      </header>
      {children}
    </section>
  );
}
