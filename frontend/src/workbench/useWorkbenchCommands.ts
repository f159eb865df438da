import { useEffect, useMemo, useRef } from "react";
import { useCommands, type Command } from "@/ui";
import type { Tool } from "./text/TextTools";

export const FACES = ["Text", "Sheet", "Inputs"] as const;
export type Face = (typeof FACES)[number];
/** What can lie over the chart. */
export type OverChart = "figures" | "trades";

/** What the Workbench can be told to do from the palette. */
interface Acts {
  undo: () => void;
  redo: () => void;
  keep: () => void;
  against: () => void;
  report: () => void;
  practise: () => void;
  rules: () => void;
  save: () => void;
  why: () => void;
  face: (face: Face) => void;
  /** Open a sheet over the chart, or close it. */
  sheet: (sheet: OverChart) => void;
  stop: () => void;
  tool: (tool: Tool) => void;
}

/** Offer the Workbench's commands, and its steps by key from wherever the focus is. */
export function useWorkbenchCommands(acts: Acts): void {
  const now = useRef(acts);
  useEffect(() => {
    now.current = acts;
  });
  const commands = useMemo<Command[]>(
    () => [
      { name: "Undo a step", keys: "Alt Z", act: () => now.current.undo() },
      { name: "Redo a step", keys: "Alt Shift Z", act: () => now.current.redo() },
      { name: "Report of this run", keys: "Alt R", act: () => now.current.report() },
      { name: "Practise this strategy on a feed", act: () => now.current.practise() },
      { name: "Keep this run", keys: "Alt K", act: () => now.current.keep() },
      { name: "Compare with another kept run", keys: "Alt P", act: () => now.current.against() },
      { name: "Make rules from the conditions", act: () => now.current.rules() },
      { name: "Save a version", keys: "Ctrl S", act: () => now.current.save() },
      { name: "All figures", keys: "Alt G", act: () => now.current.sheet("figures") },
      { name: "Trades as a table", keys: "Alt T", act: () => now.current.sheet("trades") },
      { name: "Stop computing", act: () => now.current.stop() },
      { name: "Why so few trades", act: () => now.current.why() },
      ...FACES.map((face) => ({ name: `Show the ${face.toLowerCase()}`, act: () => now.current.face(face) })),
      { name: "Alerts of this run", act: () => now.current.tool("alerts") },
      { name: "Read the strategy back", act: () => now.current.tool("readback") },
      { name: "Versions and differences", act: () => now.current.tool("versions") },
      { name: "What changed since the kept run", act: () => now.current.tool("changed") },
      { name: "Check a conversion", act: () => now.current.tool("conversion") },
      { name: "Ask elsewhere", act: () => now.current.tool("ask") },
      { name: "Bring over", act: () => now.current.tool("bring") },
      { name: "Take away as Python", act: () => now.current.tool("python") },
    ],
    [],
  );
  useCommands("Workbench", commands);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (!event.altKey || event.ctrlKey || event.metaKey) return;
      const acts: Record<string, () => void> = {
        KeyZ: () => (event.shiftKey ? now.current.redo() : now.current.undo()),
        KeyG: () => now.current.sheet("figures"),
        KeyR: () => now.current.report(),
        KeyK: () => now.current.keep(),
        KeyP: () => now.current.against(),
        KeyT: () => now.current.sheet("trades"),
      };
      const act = acts[event.code];
      if (!act) return;
      event.preventDefault();
      act();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}
