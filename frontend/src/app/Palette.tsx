import { useEffect, useRef, useState } from "react";
import { useOffered, type Command } from "@/ui";

/** Every command by name: Ctrl+K opens it anywhere; words in any order find, Enter does. */
export function Palette({ onClose }: { onClose: () => void }) {
  const offered = useOffered();
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const host = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const before = document.activeElement;
    host.current?.showModal();
    return () => {
      if (before instanceof HTMLElement) before.focus();
    };
  }, []);
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = offered.flatMap(({ place, commands }) =>
    commands
      .filter((command) => words.every((word) => `${place} ${command.name}`.toLowerCase().includes(word)))
      .map((command) => ({ place, command })),
  );
  const chosen = Math.min(at, Math.max(0, found.length - 1));
  useEffect(() => {
    document.getElementById(`command-${chosen}`)?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  const take = (command: Command | undefined) => {
    if (!command) return;
    onClose();
    // The dialog gives the focus back first, so that a command may put it elsewhere.
    window.setTimeout(command.act, 0);
  };
  return (
    <dialog
      ref={host}
      aria-label="Commands"
      className="m-auto mt-[12vh] w-[36rem] border border-base-content bg-base-100 p-0 text-base-content shadow-sm backdrop:bg-transparent"
      onClose={onClose}
      onCancel={onClose}
    >
      <input
        autoFocus
        role="combobox"
        aria-expanded
        aria-controls="command-list"
        aria-activedescendant={found.length > 0 ? `command-${chosen}` : undefined}
        aria-label="What to do"
        className="w-full border-b border-line bg-transparent px-4 py-3 text-figure outline-none"
        placeholder="What to do: open a script, go to a place, pin, follow…"
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown") setAt(Math.min(found.length - 1, chosen + 1));
          else if (event.key === "ArrowUp") setAt(Math.max(0, chosen - 1));
          else if (event.key === "Enter") take(found[chosen]?.command);
          else return;
          event.preventDefault();
        }}
      />
      <ul id="command-list" role="listbox" aria-label="Commands found" className="max-h-[50vh] overflow-auto py-1">
        {found.map(({ place, command }, index) => (
          <li
            key={`${place} ${command.name}`}
            id={`command-${index}`}
            role="option"
            aria-selected={index === chosen}
            className={`flex cursor-pointer items-baseline gap-3 px-4 py-1 ${index === chosen ? "bg-shallow" : ""}`}
            onPointerMove={() => index !== chosen && setAt(index)}
            onClick={() => take(command)}
          >
            <span>{command.name}</span>
            <span className="ml-auto text-small text-soft">{place}</span>
            {command.keys && <kbd className="num text-small text-soft">{command.keys}</kbd>}
          </li>
        ))}
      </ul>
      {found.length === 0 && <p className="px-4 py-2 text-soft">Nothing is called that.</p>}
    </dialog>
  );
}
