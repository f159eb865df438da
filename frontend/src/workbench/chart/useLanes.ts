import { useMemo, useState } from "react";
import type { Run } from "@/api";

export interface LaneRow {
  name: string;
  kind: "condition" | "rule" | "part" | "alert";
  isShown: boolean;
}

interface Kept {
  order: string[];
  /** Lanes whose showing was chosen by hand. */
  chosen: Record<string, boolean>;
}

const MOST_AT_FIRST = 8;
const keyOf = (title: string) => `skelb-lanes ${title}`;

function readKept(title: string): Kept {
  try {
    const found = JSON.parse(localStorage.getItem(keyOf(title)) ?? "") as Kept;
    if (Array.isArray(found.order) && typeof found.chosen === "object") return found;
  } catch {
    // nothing kept, or not by this program
  }
  return { order: [], chosen: {} };
}

/** Which lanes are shown and in what order: named conditions at first, then as was chosen for this script. */
export function useLanes(run: Run | null, title: string) {
  const [kept, setKept] = useState(() => ({ title, ...readKept(title) }));
  const own = kept.title === title ? kept : { title, ...readKept(title) };
  const rows = useMemo<LaneRow[]>(() => {
    const lanes = run?.scene.lanes ?? [];
    const place = (name: string) =>
      own.order.includes(name)
        ? own.order.indexOf(name)
        : own.order.length + lanes.findIndex((lane) => lane.name === name);
    const hasNames = lanes.some((lane) => lane.kind === "condition");
    let atFirst = 0;
    return [...lanes]
      .sort((a, b) => place(a.name) - place(b.name))
      .map((lane) => {
        const isUsual =
          (lane.kind === "condition" || lane.kind === "alert" || (lane.kind === "rule" && !hasNames)) &&
          atFirst++ < MOST_AT_FIRST;
        return { ...lane, isShown: own.chosen[lane.name] ?? isUsual };
      });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [run?.scene.lanes, JSON.stringify(own)]);
  const shown = useMemo(() => rows.filter((row) => row.isShown).map((row) => row.name), [rows]);
  const keep = (next: Kept) => {
    localStorage.setItem(keyOf(title), JSON.stringify(next));
    setKept({ title, ...next });
  };
  const show = (name: string, isShown: boolean) =>
    keep({ order: own.order, chosen: { ...own.chosen, [name]: isShown } });
  const move = (name: string, by: 1 | -1) => {
    const order = rows.map((row) => row.name);
    const from = order.indexOf(name);
    const to = from + by;
    if (from < 0 || to < 0 || to >= order.length) return;
    [order[from], order[to]] = [order[to]!, order[from]!];
    keep({ order, chosen: own.chosen });
  };
  return { rows, shown, show, move };
}
