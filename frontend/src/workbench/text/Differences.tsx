import { MergeView } from "@codemirror/merge";
import { EditorState } from "@codemirror/state";
import { EditorView, lineNumbers } from "@codemirror/view";
import { useEffect, useRef } from "react";
import { scriptLook } from "./highlight";

/** Two texts side by side; what did not change is folded away. */
export function Differences({ before, after }: { before: string; after: string }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const extensions = [lineNumbers(), scriptLook, EditorState.readOnly.of(true), EditorView.editable.of(false)];
    const view = new MergeView({
      a: { doc: before, extensions },
      b: { doc: after, extensions },
      parent: host.current!,
      collapseUnchanged: { margin: 3, minSize: 6 },
      gutter: true,
    });
    return () => view.destroy();
  }, [before, after]);
  return <div ref={host} className="min-h-0 flex-1 overflow-auto border-y border-line" data-testid="differences" />;
}
