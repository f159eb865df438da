import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import {
  LiveClient,
  type AskOnce,
  type BarExplained,
  type ChartWindow,
  type Run,
  type RunAnswer,
  type Setup,
} from "@/api";
import { Held } from "@/ui";

/** How what is shown stands to the text and setup in view. */
export type Standing =
  | { kind: "current"; tookMs: number }
  | { kind: "computing"; done: number }
  | { kind: "stopped"; done: number }
  | { kind: "unsound" }
  | { kind: "failed"; reason: string };

interface Answered {
  /** The newest answer, and the setup it was asked for. */
  answer: RunAnswer | null;
  of: string;
  /** The last run that could be made, and its setup; it stays in view until another takes its place. */
  run: Run | null;
  runOf: string;
  failed: { of: string; reason: string } | null;
  stopped: { of: string; done: number } | null;
  done: number;
  /** Since when what is in view is no longer what was run. */
  leftAt: number | null;
  connected: boolean;
  /** A question about the run in view that could not be answered. */
  trouble: string | null;
}

const NOTHING: Answered = {
  answer: null,
  of: "",
  run: null,
  runOf: "",
  failed: null,
  stopped: null,
  done: 0,
  leftAt: null,
  connected: false,
  trouble: null,
};

/** Where what is told of a run is drawn. */
interface Drawn {
  setWindow: (window: ChartWindow) => void;
  noWindow: () => void;
  knowBar: (bar: number, moment: number) => void;
}

/** What the page keeps of what is saved, by what the server says was written. */
const KEPT_BY_NAME: Record<string, string[][]> = {
  scripts: [["scripts"]],
  markets: [["markets"], ["market preview"]],
  accounts: [["accounts"]],
  baskets: [["baskets"]],
  runs: [["runs"]],
  trials: [["trials"]],
  practices: [["practices"]],
};

function standingOf(now: Answered, asked: string): Standing {
  if (asked !== "" && now.of === asked && now.answer) {
    if (now.answer.run) return { kind: "current", tookMs: now.answer.took_ms };
    return now.answer.sound ? { kind: "failed", reason: now.answer.problem ?? "" } : { kind: "unsound" };
  }
  if (now.failed?.of === asked) return { kind: "failed", reason: now.failed.reason };
  if (now.stopped?.of === asked) return { kind: "stopped", done: now.stopped.done };
  return { kind: "computing", done: now.done };
}

/** Asks for a run whenever the setup changes; windows go straight to the chart. */
export function useLiveRun(setup: Setup | null, chart: Drawn | null = null) {
  const [now, setNow] = useState(NOTHING);
  const [explained] = useState(() => new Held<BarExplained | null>(null));
  const shown = useRef("");
  const sent = useRef("");
  const client = useRef<LiveClient | null>(null);
  const queries = useQueryClient();
  const asked = setup ? JSON.stringify(setup) : "";

  useEffect(() => {
    const live = new LiveClient({
      onWindow: (answer) => {
        setNow((before) => (before.trouble === null ? before : { ...before, trouble: null }));
        chart?.setWindow(answer);
      },
      onExplained: (answer) => {
        if (answer.run.split("@")[0] !== shown.current) return;
        chart?.knowBar(answer.bar, Date.parse(answer.time) / 1000);
        explained.set(answer);
      },
      onRun: (answer) => {
        shown.current = answer.run?.key ?? shown.current;
        explained.set(null);
        const of = sent.current;
        setNow((before) => ({
          ...before,
          answer,
          of,
          failed: null,
          stopped: null,
          trouble: null,
          ...(answer.run ? { run: answer.run, runOf: of, leftAt: null } : {}),
        }));
      },
      onFailure: (kind, reason) => {
        const of = sent.current;
        if (kind === "run") setNow((before) => ({ ...before, failed: { of, reason } }));
        else setNow((before) => ({ ...before, trouble: reason }));
        if (kind === "window") chart?.noWindow();
      },
      onProgress: (done) => setNow((before) => ({ ...before, done })),
      onStopped: () => setNow((before) => ({ ...before, stopped: { of: sent.current, done: before.done } })),
      onConnected: (connected) => setNow((before) => ({ ...before, connected })),
      onChanged: (what) => {
        (KEPT_BY_NAME[what] ?? []).forEach((queryKey) => void queries.invalidateQueries({ queryKey }));
        // What a run stands on is other by now: the same setup is another run.
        if ((what === "accounts" || what === "markets") && sent.current) client.current?.run(sent.current);
      },
    });
    client.current = live;
    return () => {
      client.current = null;
      live.close();
    };
  }, [chart, explained, queries]);

  useEffect(() => {
    if (!asked) return;
    sent.current = asked;
    setNow((before) => ({
      ...before,
      done: 0,
      stopped: null,
      failed: null,
      leftAt: asked === before.runOf ? null : (before.leftAt ?? Date.now()),
    }));
    client.current?.run(asked);
  }, [asked]);

  const ask: AskOnce = (kind, body) => client.current?.ask(kind, body) ?? Promise.resolve({ kind: "superseded" });
  const [acts] = useState(() => ({
    askWindow: (run: string, first: number, last: number, columns: number) =>
      client.current?.window(run, first, last, columns),
    askBar: (run: string, bar: number | null) => {
      if (bar !== null) return client.current?.explain(run, bar);
      client.current?.explainNone();
      explained.set(null);
    },
    ask,
    stop: () => client.current?.stop(),
    computeAgain: () => {
      setNow((before) => ({ ...before, stopped: null, failed: null, done: 0 }));
      client.current?.run(sent.current);
    },
  }));
  const standing = standingOf(now, asked);
  const isSameText = setup !== null && now.runOf !== "" && (JSON.parse(now.runOf) as Setup).text === setup.text;
  return {
    answer: now.answer,
    run: now.run,
    connected: now.connected,
    trouble: now.trouble,
    standing,
    isOfView: standing.kind === "current",
    leftAt: now.leftAt,
    isSameText,
    explained,
    ...acts,
  };
}
