import { useEffect, useRef, useState } from "react";
import type { Action } from "./language";

export type Tool =
  | "format"
  | "rename"
  | "uses"
  | "readback"
  | "versions"
  | "changed"
  | "ask"
  | "bring"
  | "conversion"
  | "alerts"
  | "python";

const TOOLS: { tool: Tool; label: string; key?: string }[] = [
  { tool: "format", label: "Lay out the text", key: "Shift Alt F" },
  { tool: "rename", label: "Rename the name here", key: "F2" },
  { tool: "uses", label: "Find every use of the name here", key: "Shift F12" },
  { tool: "readback", label: "Read the strategy back" },
  { tool: "versions", label: "Versions and differences" },
  { tool: "changed", label: "What changed since the kept run" },
  { tool: "conversion", label: "Check a conversion" },
  { tool: "alerts", label: "Alerts of this run" },
  { tool: "ask", label: "Ask elsewhere" },
  { tool: "bring", label: "Bring over" },
  { tool: "python", label: "Take away as Python" },
];

interface Props {
  className: string;
  isOpen: boolean;
  onOpen: (open: boolean) => void;
  actions: () => Promise<Action[]>;
  onAction: (action: Action) => void;
  onTool: (tool: Tool) => void;
}

/** What can be done with the text: at the cursor first, then with the whole of it. */
export function TextTools({ className, isOpen, onOpen, actions, onAction, onTool }: Props) {
  const [here, setHere] = useState<Action[] | null>(null);
  const list = useRef<HTMLDivElement>(null);
  const ask = useRef(actions);
  useEffect(() => {
    ask.current = actions;
  });
  useEffect(() => {
    if (!isOpen) return;
    let wanted = true;
    setHere(null);
    void ask.current().then(
      (found) => wanted && setHere(found),
      () => wanted && setHere([]),
    );
    return () => {
      wanted = false;
    };
  }, [isOpen]);
  useEffect(() => {
    if (isOpen && here) list.current?.querySelector("button")?.focus();
  }, [isOpen, here]);
  const button = useRef<HTMLButtonElement>(null);
  const close = () => {
    onOpen(false);
    button.current?.focus(); // what is done next may put the focus elsewhere
  };
  const move = (step: number) => {
    const buttons = [...(list.current?.querySelectorAll("button") ?? [])];
    const at = buttons.indexOf(document.activeElement as HTMLButtonElement);
    buttons[(at + step + buttons.length) % buttons.length]?.focus();
  };
  return (
    <div className={`relative ${className}`}>
      <button
        ref={button}
        type="button"
        className="plain-button !py-0"
        aria-haspopup="menu"
        aria-expanded={isOpen}
        title="Ctrl ."
        onClick={() => onOpen(!isOpen)}
      >
        Tools
      </button>
      {isOpen && (
        <>
          <div className="fixed inset-0 z-10" onClick={close} aria-hidden />
          <div
            ref={list}
            role="menu"
            aria-label="Tools of the text"
            className="absolute right-0 bottom-7 z-20 w-80 border border-line bg-base-100 py-1 shadow-sm"
            onKeyDown={(event) => {
              if (event.key === "Escape") close();
              else if (event.key === "ArrowDown") move(1);
              else if (event.key === "ArrowUp") move(-1);
              else return;
              event.preventDefault();
            }}
          >
            {here === null && <p className="px-3 py-1 text-soft">Looking at the cursor…</p>}
            {here?.map((action) => (
              <Row key={action.title} label={action.title} onPress={() => (close(), onAction(action))} />
            ))}
            {here && here.length > 0 && <div className="my-1 border-t border-line" aria-hidden />}
            {TOOLS.map(({ tool, label, key }) => (
              <Row key={tool} label={label} hint={key} onPress={() => (close(), onTool(tool))} />
            ))}
          </div>
        </>
      )}
    </div>
  );
}

function Row({ label, hint, onPress }: { label: string; hint?: string; onPress: () => void }) {
  return (
    <button
      type="button"
      role="menuitem"
      className="flex w-full cursor-pointer items-baseline px-3 py-1 text-left text-body hover:bg-shallow focus:bg-shallow"
      onClick={onPress}
    >
      <span>{label.replaceAll("`", "")}</span>
      {hint && <span className="ml-auto pl-3 text-small text-soft">{hint}</span>}
    </button>
  );
}
