import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { logQuery, startQuery, type LoggedRun, type SetupState } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { Loading, Picker, plain, Trouble } from "@/ui";
import { Channel } from "./Channel";
import { Compare } from "./Compare";
import { berthsOf } from "./descent";
import { Looked } from "./Looked";
import type { LogbookState } from "./model";
import { RunRow } from "./RunRow";
import { Tally } from "./Tally";
import { useWorkOn } from "./useWorkOn";

interface Props {
  state: LogbookState;
  onState: (state: LogbookState) => void;
  onReport: (number: number) => void;
  onWork: (state: SetupState) => void;
  onAgainst: (number: number) => void;
}

const PAGE = 60;
const MOST_COMPARED = 4;

/** Every kept run with what it was changed from, and the tally of the script. */
export function Logbook(props: Props) {
  const { state, onState } = props;
  if (!state.compare || state.compare.length < 2) return <Kept {...props} />;
  return (
    <Compare
      runs={state.compare}
      isAlike={state.alike ?? false}
      onRuns={(compare) => onState({ ...state, compare, alike: undefined })}
      onAlike={(alike) => onState({ ...state, alike: alike || undefined })}
      onBack={() => onState({ ...state, compare: undefined, alike: undefined })}
      onReport={props.onReport}
      onWork={props.onWork}
    />
  );
}

function Kept({ state, onState, onReport, onWork, onAgainst }: Props) {
  const [most, setMost] = useState(PAGE);
  const [chosen, setChosen] = useState<number[]>([]);
  const [leaving, setLeaving] = useState<Removed | null>(null);
  const { title, place, words, starred } = state;
  const log = useQuery(logQuery({ title, place, words, starred }, most));
  const engine = useQuery(startQuery).data?.engine_version;
  const work = useWorkOn(onWork);
  const put = (change: Partial<LogbookState>) => {
    setMost(PAGE);
    onState({ ...state, ...change });
  };
  useEffect(() => {
    document.title = "Logbook · Skelb";
  }, []);
  if (log.error) return <Trouble error={log.error.message} />;
  if (!log.data) return <Loading what="Opening the logbook" />;
  const { runs, matching, total, titles, places } = log.data;
  const tallied = title ?? runs[0]?.title ?? titles[0];
  const { berths, columns } = berthsOf(runs);
  const choose = (run: LoggedRun) =>
    setChosen(
      chosen.includes(run.number)
        ? chosen.filter((number) => number !== run.number)
        : [...chosen, run.number].slice(-MOST_COMPARED),
    );
  return (
    <section className="flex h-full flex-col" data-testid="logbook">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 text-sentence text-soft">
        <h1 className="text-sentence font-normal">
          Logbook of{" "}
          <Picker
            label="Script"
            value={title ?? ""}
            options={[
              { value: "", label: "all scripts" },
              ...titles.map((item) => ({ value: item, label: item || "untitled" })),
            ]}
            onChange={(next) => put({ title: next || undefined })}
          />
          , on{" "}
          <Picker
            label="Market"
            value={place ?? ""}
            options={[{ value: "", label: "all markets" }, ...places.map((item) => ({ value: item, label: item }))]}
            onChange={(next) => put({ place: next || undefined })}
          />
          ,{" "}
          <Picker
            label="Which runs"
            value={state.looked ? "looked" : starred ? "starred" : "kept"}
            options={[
              { value: "kept", label: "all that are kept" },
              { value: "starred", label: "those with a star" },
              { value: "looked", label: "those that were only looked at" },
            ]}
            onChange={(next) =>
              put({ starred: next === "starred" || undefined, looked: next === "looked" || undefined })
            }
          />
        </h1>
        <label className="ml-auto flex items-center gap-2 text-note">
          any tag, note or change
          <input
            type="search"
            className="field w-48"
            placeholder="words to find"
            value={words ?? ""}
            onChange={(event) => put({ words: event.target.value || undefined })}
          />
        </label>
      </header>
      {work.error && <Trouble error={work.error.message} />}
      <div className="stacks flex min-h-0 flex-1">
        <div className="min-w-0 flex-1 overflow-auto" aria-busy={log.isFetching}>
          {state.looked ? (
            <Looked title={title ?? ""} onWork={(run) => work.mutate({ setup: run.setup, title: run.title })} />
          ) : (
            <>
              {runs.length === 0 && (
                <p className="p-8 text-center text-soft">
                  {total === 0
                    ? "No run is kept yet: press Keep in the workbench (Alt K)."
                    : "No kept run is like that."}
                </p>
              )}
              {runs.length > 0 && (
                <div className="flex min-w-max pt-7">
                  <Channel berths={berths} columns={columns} chosen={runs.map((run) => chosen.includes(run.number))} />
                  <table className="relative -mt-7 flex-1" data-testid="log">
                    <thead>
                      <tr className="h-7 text-left text-note text-soft italic">
                        {[
                          "",
                          "no",
                          "day",
                          "",
                          "script and market",
                          "what was changed",
                          "equity",
                          "net",
                          "ret. / drawdown",
                          "trades",
                          "tags, note",
                        ].map((name, at) => (
                          <th
                            key={at}
                            scope="col"
                            className={`pr-2 font-normal ${at === 1 || (at > 6 && at < 10) ? "text-right" : ""}`}
                          >
                            {name || <span className="sr-only">{at === 0 ? "choose" : "star"}</span>}
                          </th>
                        ))}
                      </tr>
                    </thead>
                    <tbody>
                      {runs.map((run) => (
                        <RunRow
                          key={run.number}
                          run={run}
                          isChosen={chosen.includes(run.number)}
                          engine={engine}
                          onChoose={() => choose(run)}
                          onReport={() => onReport(run.number)}
                          onWork={() => work.mutate({ number: run.number, title: run.title })}
                          onAgainst={() => onAgainst(run.number)}
                          onDelete={() =>
                            setLeaving({ kind: "run", name: String(run.number), called: `run ${run.number}` })
                          }
                        />
                      ))}
                    </tbody>
                  </table>
                </div>
              )}
              <TakenAway kind="run" />
            </>
          )}
        </div>
        <aside className="w-[236px] flex-none overflow-auto border-l border-line bg-base-100 p-4">
          {tallied === undefined ? (
            <p className="text-soft">The tally of a script stands here once one is kept.</p>
          ) : (
            <>
              <h2 className="mb-2">
                <b>The script&apos;s tally</b>
                <br />
                {tallied || "untitled"}
              </h2>
              <Tally title={tallied} />
            </>
          )}
        </aside>
      </div>
      {!state.looked && (
        <footer className="flex min-h-[46px] flex-none flex-wrap items-center gap-3 border-t border-line px-4">
          <button
            type="button"
            className="main-button"
            disabled={chosen.length < 2}
            onClick={() => onState({ ...state, compare: chosen })}
          >
            Compare {chosen.length || ""} runs
          </button>
          <span className="text-soft">
            {chosen.length === 0 ? `tick two to ${MOST_COMPARED} of them` : `runs ${chosen.join(", ")}`}
          </span>
          {chosen.length > 0 && (
            <button
              type="button"
              className="cursor-pointer text-long underline decoration-dotted"
              onClick={() => setChosen([])}
            >
              untick {chosen.length > 1 ? "all" : "it"}
            </button>
          )}
          <span className="ml-auto text-soft">
            {plain(runs.length, 0)} of {plain(matching, 0)}
            {matching < total && ` that match, of ${plain(total, 0)}`} kept runs
          </span>
          {runs.length < matching && (
            <button type="button" className="plain-button" onClick={() => setMost(most + PAGE * 3)}>
              Older
            </button>
          )}
        </footer>
      )}
      {leaving && <RemovalDialog what={leaving} onClose={() => setLeaving(null)} onGone={() => setChosen([])} />}
    </section>
  );
}
