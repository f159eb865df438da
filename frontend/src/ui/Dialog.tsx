import { X } from "lucide-react";
import { useEffect, useRef, type ReactNode } from "react";
import { useFocusBack } from "./useFocusBack";

interface Props {
  title: string;
  onClose: () => void;
  wide?: boolean;
  children: ReactNode;
}

/** A sheet over the page; Escape closes it, and what was in focus before gets it back. */
export function Dialog({ title, onClose, wide, children }: Props) {
  const host = useRef<HTMLDialogElement>(null);
  useFocusBack();
  useEffect(() => {
    const dialog = host.current;
    if (dialog && !dialog.open) dialog.showModal();
  }, []);
  return (
    <dialog
      ref={host}
      aria-label={title}
      className={`sheet ${wide ? "sheet-wide" : ""}`}
      onCancel={onClose}
      onClose={onClose}
    >
      <header className="flex h-11 flex-none items-center border-b border-line px-4">
        <h2 className="text-base">{title}</h2>
        <button
          type="button"
          className="ml-auto cursor-pointer p-1 text-soft hover:text-base-content"
          aria-label="Close"
          onClick={onClose}
        >
          <X size={16} aria-hidden />
        </button>
      </header>
      <div className="flex min-h-0 flex-1 flex-col overflow-auto">{children}</div>
    </dialog>
  );
}
