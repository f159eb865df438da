import { useEffect, useRef, type ChangeEvent } from "react";

interface Props {
  text: string;
  onText: (text: string) => void;
  onRead: (text: string) => void;
}

/** Where the other script is pasted; one that comes whole is read at once. */
export function Pasting({ text, onText, onRead }: Props) {
  const field = useRef<HTMLTextAreaElement>(null);
  useEffect(() => field.current?.focus(), []);
  const write = (event: ChangeEvent<HTMLTextAreaElement>) => {
    const next = event.target.value;
    const wasPasted = (event.nativeEvent as InputEvent).inputType === "insertFromPaste";
    if (wasPasted && text.trim() === "" && next.trim() !== "") onRead(next);
    else onText(next);
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2 px-4 py-3">
      <div className="flex items-center gap-4">
        <label htmlFor="another-notation">
          Paste a script in another notation. What is sure is written, what is doubtful asked, the rest left as it is,
          with the reason. Your script stays until you take the new one.
        </label>
        <button
          type="button"
          className="main-button ml-auto whitespace-nowrap"
          disabled={text.trim() === ""}
          onClick={() => onRead(text)}
        >
          Read it
        </button>
      </div>
      <textarea
        id="another-notation"
        className="field num min-h-72 flex-1 resize-none p-2"
        value={text}
        onChange={write}
        spellCheck={false}
        ref={field}
      />
    </div>
  );
}
