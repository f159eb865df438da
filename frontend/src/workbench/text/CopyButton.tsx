import { useState } from "react";

/** A text to the clipboard. */
export function CopyButton({ text, label }: { text: string; label: string }) {
  const [done, setDone] = useState<string | null>(null);
  return (
    <button
      type="button"
      className="plain-button"
      onClick={() => void navigator.clipboard.writeText(text).then(() => setDone(text))}
    >
      {done === text ? "Copied" : label}
    </button>
  );
}
