import { useEffect, useRef, useState } from "react";
import { LiveClient, type AskOnce, type BarExplained, type ChartWindow, type Run, type RunAnswer, type Setup } from "@/api";
import { Held } from "@/ui";

export interface LiveState {
  answer: RunAnswer | null;
  /** The last run that could be made; kept while a mistake is being mended. */
  run: Run | null;
  error: string | null;
  connected: boolean;
  waiting: boolean;
}

const noWindow = () => undefined;

/** Asks for a run whenever the setup changes; windows go straight to the chart. */
export function useLiveRun(setup: Setup | null, onWindow: (window: ChartWindow) => void = noWindow) {
  const [state, setState] = useState<LiveState>({ answer: null, run: null, error: null, connected: false, waiting: true });
  const [explained] = useState(() => new Held<BarExplained | null>(null));
  const shown = useRef<string | null>(null);
  const client = useRef<LiveClient | null>(null);
  const windowHandler = useRef(onWindow);
  const asked = setup ? JSON.stringify(setup) : "";

  useEffect(() => {
    windowHandler.current = onWindow;
  }, [onWindow]);

  useEffect(() => {
    const live = new LiveClient(
      (answer) => {
        if (answer.answer === "window") {
          if (!answer.error) windowHandler.current(answer);
          return;
        }
        if (answer.answer === "explain") {
          if (!answer.error && answer.run === shown.current) explained.set(answer);
          return;
        }
        if (!answer.error) {
          shown.current = answer.run?.key ?? shown.current;
          explained.set(null);
        }
        setState((before) =>
          answer.error
            ? { ...before, error: answer.error, waiting: false }
            : { ...before, answer, run: answer.run ?? before.run, error: answer.problem, waiting: false },
        );
      },
      (connected) => setState((before) => ({ ...before, connected })),
    );
    client.current = live;
    return () => {
      client.current = null;
      live.close();
    };
  }, [explained]);

  useEffect(() => {
    if (!asked) return;
    setState((before) => ({ ...before, waiting: true }));
    client.current?.run(JSON.parse(asked) as Setup);
  }, [asked]);

  const [askWindow] = useState(() => (run: string, first: number, last: number, columns: number) => client.current?.window(run, first, last, columns));
  const [askBar] = useState(() => (run: string, bar: number | null) => {
    if (bar !== null) return client.current?.explain(run, bar);
    client.current?.explainNone();
    explained.set(null);
  });
  const [ask] = useState<{ once: AskOnce }>(() => ({ once: (kind, body) => client.current?.ask(kind, body) ?? Promise.resolve(null) }));
  return { ...state, explained, askWindow, askBar, ask: ask.once };
}
