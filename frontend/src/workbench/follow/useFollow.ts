import { useEffect, useRef, useState } from "react";
import type { AskOnce, Figures, Run } from "@/api";

/** A run being followed: bars after `bar` are covered. */
export interface Following {
  run: string;
  bar: number;
  isPlaying: boolean;
  /** Bars a second while it plays. */
  pace: number;
}

export const PACES = [1, 2, 5, 10, 25, 50];

/** The next bar after one on which a trade begins or ends. */
function eventAfter(run: Run, bar: number): number {
  let next = run.last;
  for (const events of [run.trades.entry_bar, run.trades.exit_bar]) for (const at of events) if (at > bar && at < next) next = at;
  return next;
}

/** Going through a run bar by bar with the future covered; its figures are those as if the data ended there. */
export function useFollow(run: Run | null, ask: AskOnce) {
  const [following, setFollowing] = useState<Following | null>(null);
  const [known, setKnown] = useState<{ run: string; bar: number; figures: Figures } | null>(null);
  // Another run begins where the old one was: following goes on, on the new one's bars.
  const now = following && run ? { ...following, run: run.key, bar: Math.max(run.first, Math.min(run.last, following.bar)) } : null;
  const at = useRef(now);
  useEffect(() => {
    at.current = now;
  });
  const bar = now?.bar ?? null;
  const key = run?.key ?? "";
  useEffect(() => {
    if (bar === null) return;
    void ask("until", { run: key, bar }).then((found) => found && setKnown(found));
  }, [ask, key, bar]);
  const isPlaying = now?.isPlaying ?? false;
  const pace = now?.pace ?? 1;
  const last = run?.last ?? 0;
  useEffect(() => {
    if (!isPlaying) return;
    const timer = window.setInterval(() => {
      const here = at.current;
      if (here) setFollowing({ ...here, bar: Math.min(last, here.bar + 1), isPlaying: here.bar + 1 < last });
    }, 1000 / pace);
    return () => window.clearInterval(timer);
  }, [isPlaying, pace, last]);
  const go = (to: number) => run && at.current && setFollowing({ ...at.current, bar: Math.max(run.first, Math.min(run.last, to)), isPlaying: false });
  return {
    following: now,
    /** Known figures; those of a bar or two before while the next are being worked out. */
    figures: now && known?.run === now.run ? known.figures : null,
    isCurrent: now !== null && known?.run === now.run && known.bar === now.bar,
    begin: (from: number) => run && setFollowing({ run: run.key, bar: from, isPlaying: false, pace: 5 }),
    step: (by: number) => at.current && go(at.current.bar + by),
    toEvent: () => run && at.current && go(eventAfter(run, at.current.bar)),
    toEnd: () => run && go(run.last),
    play: () => at.current && setFollowing({ ...at.current, isPlaying: !at.current.isPlaying }),
    setPace: (next: number) => at.current && setFollowing({ ...at.current, pace: next }),
    leave: () => setFollowing(null),
  };
}
