import type { ReactNode } from "react";
import { Said } from "./Said";

/** Something to know about what is in view, with what can be done about it. */
export function Notice({ text, children }: { text: string; children?: ReactNode }) {
  return (
    <div
      role="note"
      className="flex flex-none flex-wrap items-baseline gap-3 border-b border-line border-l-4 border-l-brass bg-base-100 px-4 py-1"
    >
      <span>
        <Said text={text} />
      </span>
      {children}
    </div>
  );
}
