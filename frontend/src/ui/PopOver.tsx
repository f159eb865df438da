import { useEffect, useLayoutEffect, useRef, useState, type ReactNode, type RefObject } from "react";

interface Props {
  /** What is pressed to open it. */
  face: ReactNode;
  label?: string;
  title?: string;
  className: string;
  side?: "left" | "right";
  disabled?: boolean;
  /** How far below the button it begins, pixels, where something between them is to be seen. */
  drop?: number;
  /** The button, where something else opens the sheet too. */
  buttonRef?: RefObject<HTMLButtonElement | null>;
  children: (close: () => void) => ReactNode;
}

/** A small sheet under a button; a press elsewhere or Escape closes it, and the focus goes back to the button. */
export function PopOver({
  face,
  label,
  title,
  className,
  side = "left",
  disabled,
  drop = 4,
  buttonRef,
  children,
}: Props) {
  const [isOpen, setOpen] = useState(false);
  const ownButton = useRef<HTMLButtonElement>(null);
  const button = buttonRef ?? ownButton;
  const host = useRef<HTMLSpanElement>(null);
  const sheet = useRef<HTMLSpanElement>(null);
  // What would stand beyond the page's edge moves inside.
  useLayoutEffect(() => {
    const box = sheet.current?.getBoundingClientRect();
    if (!isOpen || !sheet.current || !box) return;
    const beyond = Math.max(0, box.right + 8 - window.innerWidth);
    sheet.current.style.transform = beyond > 0 ? `translateX(${-Math.min(beyond, box.left - 8)}px)` : "";
  }, [isOpen]);
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
  }, [isOpen, button]);
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
        <>
          {drop > 8 && (
            <span
              aria-hidden
              className="pointer-events-none absolute top-full left-1/2 z-30 w-px bg-base-content"
              style={{ height: drop }}
            />
          )}
          <span
            ref={sheet}
            style={{ marginTop: drop }}
            className={`absolute top-full z-40 block border border-line bg-base-100 text-body text-base-content shadow-sm ${side === "left" ? "left-0" : "right-0"}`}
          >
            {children(close)}
          </span>
        </>
      )}
    </span>
  );
}
