import type { ReactNode } from "react";
import { Said } from "./Said";

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="p-6 text-soft">
      {what}…
    </p>
  );
}

export function Trouble({ error, children }: { error: string; children?: ReactNode }) {
  return (
    <div role="alert" className="m-4 border-l-2 border-loss bg-base-100 px-4 py-2">
      <p>
        <Said text={error} />
      </p>
      {children}
    </div>
  );
}
