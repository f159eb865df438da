import { sailOn, useVoyage, VOYAGE } from "@/keeping";

/** The lesson told: its steps, how far one is, and the way to it. */
export function VoyagePage({ onVoyage }: { onVoyage: () => void }) {
  const { step, skipped } = useVoyage();
  const says = step === 0 ? "Begin" : step < VOYAGE.length ? `Go on with step ${step + 1}` : "Make it again";
  return (
    <article className="min-w-0 flex-1 overflow-auto px-6 py-4">
      <h1 className="text-title">First voyage</h1>
      <p className="my-2 max-w-prose">
        Ten steps in the workbench itself, from bars to a judged strategy and its doubt, for somebody who has never
        written a rule; a quarter of an hour. Each step looks at what was really done. It can be left at any moment and
        taken up again here.
      </p>
      <ol className="my-4">
        {VOYAGE.map((title, index) => (
          <li key={title} className="flex gap-3 py-0.5" aria-current={index === step ? "step" : undefined}>
            <span className="num w-6 text-right text-soft">{index + 1}</span>
            <span>{title}</span>
            {index < step && (
              <span className="text-soft">{skipped.includes(index) ? "skipped, not done" : "done"}</span>
            )}
            {index === step && step > 0 && <span className="text-short">here</span>}
          </li>
        ))}
      </ol>
      <button type="button" className="main-button" onClick={() => (sailOn(), onVoyage())}>
        {says}
      </button>
    </article>
  );
}
