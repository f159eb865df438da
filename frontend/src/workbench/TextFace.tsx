import { useEffect, useRef } from "react";
import type { Catalogue, RunAnswer } from "@/api";
import { Said } from "@/ui";
import { ScriptEditor } from "./editor";

interface Props {
  text: string;
  onText: (text: string) => void;
  answer: RunAnswer | null;
  catalogue: Catalogue;
  onSave: () => void;
}

/** The script as text, with what the checker says under the words. */
export function TextFace({ text, onText, answer, catalogue, onSave }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const editor = useRef<ScriptEditor | null>(null);
  const first = useRef(text);
  const handlers = useRef({ onText, onSave });
  useEffect(() => {
    handlers.current = { onText, onSave };
  }, [onText, onSave]);

  useEffect(() => {
    const made = new ScriptEditor(host.current!, first.current, catalogue, {
      onText: (next) => handlers.current.onText(next),
      onSave: () => handlers.current.onSave(),
    });
    editor.current = made;
    return () => {
      editor.current = null;
      made.destroy();
    };
  }, [catalogue]);

  useEffect(() => editor.current?.replace(text), [text]);

  useEffect(() => {
    if (answer) editor.current?.show(answer.diagnostics, answer.names);
  }, [answer]);

  const found = answer?.diagnostics ?? [];
  const errors = found.filter((item) => item.severity === "error");
  const others = found.length - errors.length;
  const leading = errors[0] ?? found.find((item) => item.severity === "warning");
  return (
    <>
      <div ref={host} className="min-h-0 flex-1 overflow-hidden" data-testid="editor" />
      {leading && (
        <div className="flex-none border-t border-line px-4 py-2" role="status">
          <p className={leading.severity === "error" ? "text-loss" : "text-brass"}>
            <button type="button" className="num cursor-pointer hover:underline" onClick={() => editor.current?.goTo(leading)}>
              line {leading.line}
            </button>
            
            : <Said text={`${leading.message}.`} />
          </p>
          <p className="text-soft">
            <Said text={leading.why} />
          </p>
          {leading.mend && (
            <button type="button" className="plain-button mt-1" onClick={() => editor.current?.mend(leading)}>
              {leading.mend.text ? (
                <>
                  Write <span className="num">{leading.mend.text}</span>
                </>
              ) : (
                "Leave it out"
              )}
            </button>
          )}
        </div>
      )}
      <div className="flex h-7 flex-none items-center gap-3 border-t border-line px-4 text-[12px]">
        {errors.length === 0 ? <span className="text-gain">✓ checks clean</span> : <span className="text-loss">✕ {errors.length === 1 ? "1 error" : `${errors.length} errors`}</span>}
        {others > 0 && <span className="text-soft">{others === 1 ? "1 note" : `${others} notes`}</span>}
        {answer && <span className="ml-auto text-soft">answered in {Math.max(1, Math.round(answer.took_ms))} ms</span>}
      </div>
    </>
  );
}
