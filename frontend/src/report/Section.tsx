import type { ReactNode } from "react";

/** A part of a report: its name, a few words beside it, what it is. */
export function Section({ name, said, children }: { name: string; said?: ReactNode; children: ReactNode }) {
  return (
    <section aria-label={name} className="report-part border-b border-line py-3">
      <h2 className="mb-1">
        <b>{name}</b> {said && <span className="ml-1 font-normal text-soft">{said}</span>}
      </h2>
      {children}
    </section>
  );
}
