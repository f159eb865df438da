import { useState, type ReactNode } from "react";

interface Props {
  /** What is pressed to open it. */
  face: ReactNode;
  label?: string;
  title?: string;
  className: string;
  side?: "left" | "right";
  disabled?: boolean;
  children: (close: () => void) => ReactNode;
}

/** A small sheet under a button; a press beside it or Escape closes it. */
export function PopOver({ face, label, title, className, side = "left", disabled, children }: Props) {
  const [isOpen, setOpen] = useState(false);
  const close = () => setOpen(false);
  return (
    <span
      className="relative inline-flex"
      onKeyDown={(event) => {
        if (event.key !== "Escape" || !isOpen) return;
        event.stopPropagation();
        close();
      }}
    >
      <button type="button" className={className} aria-label={label} title={title} aria-expanded={isOpen} disabled={disabled} onClick={() => setOpen(!isOpen)}>
        {face}
      </button>
      {isOpen && (
        <>
          <span className="fixed inset-0 z-20" aria-hidden onClick={close} />
          <span className={`absolute top-full z-30 mt-1 block border border-line bg-base-100 text-[13px] text-base-content shadow-sm ${side === "left" ? "left-0" : "right-0"}`}>{children(close)}</span>
        </>
      )}
    </span>
  );
}
