import { useEffect, useRef, useState } from "react";
import type { AskOnce, Figures, Run } from "@/api";

/** A run being followed: bars after `bar` are covered. */
export interface Following {
  run: string;
  /** The run over whose bars `bar` counts. */
  over: Run;
  bar: number;
  isPlaying: boolean;
  /** Bars a second while it plays. */
  pace: number;
}

export const PACES = [1, 2, 5, 10, 25, 50];

/** The next bar after one on which a trade begins or ends. */
function eventAfter(run: Run, bar: number): number {
  let next = run.last;
  for (const events of [run.trades.entry_bar, run.trades.exit_bar])
    for (const at of events) if (at > bar && at < next) next = at;
  return next;
}

/** Whether two runs go over the same bars. */
const sameBars = (a: Run, b: Run) =>
  a.bars === b.bars && a.timeframe === b.timeframe && a.overview.time[0] === b.overview.time[0];

/** Going through a run bar by bar with the future covered; its figures are those as if the data ended there. */
export function useFollow(run: Run | null, ask: AskOnce) {
  const [following, setFollowing] = useState<Following | null>(null);
  const [known, setKnown] = useState<{ run: string; bar: number; closed: number; figures: Figures } | null>(null);
  // Where another run goes over the same bars, following goes on at its bar; over others, at the same moment: until that is found all is covered.
  const isMoving = following !== null && run !== null && !sameBars(following.over, run);
  const now =
    following && run
      ? {
          ...following,
          run: run.key,
          bar: isMoving ? run.first : Math.max(run.first, Math.min(run.last, following.bar)),
        }
      : null;
  const at = useRef(now);
  useEffect(() => {
    at.current = now;
  });
  const moment = known?.closed ?? null;
  useEffect(() => {
    if (!run || !isMoving || moment === null) return;
    let isWanted = true;
    void ask("bars_at", { run: run.key, times: [moment], closed: true }).then((told) => {
      if (isWanted)
        setFollowing(
          (still) =>
            still && {
              ...still,
              over: run,
              run: run.key,
              bar: told.kind === "answer" ? told.answer.bars[0]! : run.first,
              isPlaying: false,
            },
        );
    });
    return () => {
      isWanted = false;
    };
    // The moment is that of the run before; a newer one belongs to this run already.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [run, isMoving, ask]);
  const bar = now === null || isMoving ? null : now.bar;
  const key = run?.key ?? "";
  useEffect(() => {
    if (bar === null) return;
    void ask("until", { run: key, bar }).then((told) => told.kind === "answer" && setKnown(told.answer));
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
  const go = (to: number) =>
    run &&
    at.current &&
    setFollowing({ ...at.current, bar: Math.max(run.first, Math.min(run.last, to)), isPlaying: false });
  return {
    following: now,
    /** Known figures; those of a bar or two before while the next are being worked out. */
    figures: now && known?.run === now.run ? known.figures : null,
    isCurrent: now !== null && known?.run === now.run && known.bar === now.bar,
    begin: (from: number) => run && setFollowing({ over: run, run: run.key, bar: from, isPlaying: false, pace: 5 }),
    step: (by: number) => at.current && go(at.current.bar + by),
    toEvent: () => run && at.current && go(eventAfter(run, at.current.bar)),
    toEnd: () => run && go(run.last),
    play: () => at.current && setFollowing({ ...at.current, isPlaying: !at.current.isPlaying }),
    setPace: (next: number) => at.current && setFollowing({ ...at.current, pace: next }),
    leave: () => setFollowing(null),
  };
}
