/** How much of a long work is done, drawn. */
export function DoneBar({ done, total }: { done: number; total: number }) {
  return (
    <div
      role="progressbar"
      aria-label="Runs done"
      aria-valuemin={0}
      aria-valuemax={total}
      aria-valuenow={done}
      className="h-1.5 min-w-24 flex-1 rounded bg-base-300"
    >
      <div className="h-full rounded bg-base-content" style={{ width: `${(done / total) * 100}%` }} />
    </div>
  );
}
