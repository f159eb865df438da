import { useEffect, useRef, useState, type ReactNode } from "react";

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

/** A small sheet under a button; a press elsewhere or Escape closes it, and the focus goes back to the button. */
export function PopOver({ face, label, title, className, side = "left", disabled, children }: Props) {
  const [isOpen, setOpen] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const host = useRef<HTMLSpanElement>(null);
  const close = () => {
    setOpen(false);
    button.current?.focus();
  };
  useEffect(() => {
    if (!isOpen) return;
    const elsewhere = (event: PointerEvent) => {
      if (!host.current?.contains(event.target as Node)) setOpen(false);
    };
    const escape = (event: KeyboardEvent) => {
      if (event.key !== "Escape") return;
      event.stopPropagation();
      setOpen(false);
      button.current?.focus();
    };
    document.addEventListener("pointerdown", elsewhere, { capture: true });
    document.addEventListener("keydown", escape, { capture: true });
    return () => {
      document.removeEventListener("pointerdown", elsewhere, { capture: true });
      document.removeEventListener("keydown", escape, { capture: true });
    };
  }, [isOpen]);
  return (
    <span ref={host} className="relative inline-flex">
      <button
        ref={button}
        type="button"
        className={className}
        aria-label={label}
        title={title}
        aria-expanded={isOpen}
        disabled={disabled}
        onClick={() => setOpen(!isOpen)}
      >
        {face}
      </button>
      {isOpen && (
        <span
          className={`absolute top-full z-30 mt-1 block border border-line bg-base-100 text-body text-base-content shadow-sm ${side === "left" ? "left-0" : "right-0"}`}
        >
          {children(close)}
        </span>
      )}
    </span>
  );
}
