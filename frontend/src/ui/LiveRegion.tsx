import { useEffect, useState } from "react";

const listeners = new Set<(text: string) => void>();
let last = "";

/** Say something to whoever listens instead of looking: politely, in the one region that there is for it. */
export function tellAll(text: string): void {
  if (text === last) return;
  last = text;
  listeners.forEach((listener) => listener(text));
}

/** The one live region of the page. */
export function LiveRegion() {
  const [text, setText] = useState("");
  useEffect(() => {
    listeners.add(setText);
    return () => void listeners.delete(setText);
  }, []);
  return (
    <div role="status" aria-live="polite" aria-label="What is new" className="sr-only" data-testid="told">
      {text}
    </div>
  );
}
