import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import {
  accountsQuery,
  isTogether,
  marketsQuery,
  scriptsQuery,
  setupOf,
  startQuery,
  withBasket,
  type BasketState,
  type FeedChoice,
  type SetupState,
} from "@/api";
import { AccountWord, DateField, InputsWord, SidesWord, TimeframeWord } from "@/setup";
import { OnWord } from "@/setup/OnWord";
import { TakenAway } from "@/keeping";
import { Loading, Picker, Trouble } from "@/ui";
import { FEEDS, PACES, type FeedKind, type PracticeState } from "./model";
import { usePractices } from "./queries";

interface Props {
  state: PracticeState;
  onState: (state: PracticeState) => void;
  onBegun: (number: number) => void;
  onAll: (() => void) | null;
}

/** What follows which feed, as a sentence; one press begins it. */
export function Begin({ state, onState, onBegun, onAll }: Props) {
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const accounts = useQuery(accountsQuery);
  const [kind, setKind] = useState<FeedKind>("replay");
  const [pace, setPace] = useState("600");
  const [seed, setSeed] = useState(1);
  const [since, setSince] = useState("");
  const [where, setWhere] = useState("");
  const { begin } = usePractices();
  const failed = start.error ?? scripts.error ?? markets.error ?? accounts.error;
  if (failed) return <Trouble error={failed.message} />;
  if (!start.data || !scripts.data || !markets.data || !accounts.data) return <Loading what="Opening practice" />;
  const title = state.script ?? start.data.script;
  const script = scripts.data.find((item) => item.title === title) ?? scripts.data[0];
  if (!script) return <Trouble error="There is no script to practise yet: write one on the shelf." />;
  const version = script.versions.find((item) => item.number === state.version) ?? script.versions.at(-1)!;
  const alone = setupOf(state, { ...start.data, ...script.home }, version.text);
  const setup = state.together ? withBasket(alone, state) : alone;
  const isBasket = isTogether(setup);
  const put = (change: Partial<SetupState & BasketState>) => onState({ ...state, ...change, begin: true });
  const feeds: Record<FeedKind, FeedChoice> = {
    replay: { kind: "replay", pace: Number(pace) },
    made: { kind: "made", pace: Number(pace), seed },
    file: { kind: "file", path: where },
    address: { kind: "address", url: where },
  };
  const isNamed = kind === "file" || kind === "address";
  return (
    <section className="flex h-full flex-col overflow-auto" aria-label="Begin a practice">
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-sentence text-soft">
        <h1 className="font-normal">
          Practise{" "}
          <Picker
            label="Script"
            value={script.title}
            options={scripts.data.map((item) => ({ value: item.title, label: item.title }))}
            onChange={(next) => put({ script: next, version: undefined, inputs: undefined })}
          />{" "}
          <Picker
            label="Version"
            value={String(version.number)}
            options={script.versions.map((item) => ({ value: String(item.number), label: `v${item.number}` }))}
            onChange={(next) => put({ version: Number(next) })}
          />{" "}
          on <OnWord setup={setup} state={state} markets={markets.data} onPut={put} /> at{" "}
          <TimeframeWord setup={setup} onPut={put} /> with{" "}
          <AccountWord setup={setup} accounts={accounts.data} markets={markets.data} onPut={put} />,{" "}
          <SidesWord setup={setup} onPut={put} />
          <InputsWord state={state} onPut={put} />, fed by{" "}
          <Picker
            label="Feed"
            value={kind}
            options={FEEDS.map((item) => ({ ...item }))}
            onChange={(next) => setKind(next as FeedKind)}
          />
          {!isNamed && (
            <>
              , <Picker label="Pace" value={pace} options={PACES} onChange={setPace} />
            </>
          )}
        </h1>
        {onAll && (
          <button type="button" className="plain-button ml-auto" onClick={onAll}>
            All practices
          </button>
        )}
      </header>
      <TakenAway kind="practice" />
      <div className="flex max-w-[46rem] flex-col gap-3 px-4 py-4">
        <p>
          The strategy follows bars as they come, in the server, whether this page is open or not. It decides on each
          bar that closes exactly as the backtest does, says what it would do next, and is held against the backtest: is
          it still the same strategy?
        </p>
        {kind === "replay" ? (
          <p className="flex items-baseline gap-2">
            <span>The replay begins with</span>
            <DateField
              label="First day of the replay"
              className="field num w-40"
              value={since}
              placeholder="the last fifth"
              onDay={setSince}
            />
            <span className="text-soft">bars before it are what the strategy is known by</span>
          </p>
        ) : kind === "made" ? (
          <label className="flex items-baseline gap-2">
            <span>Whole days of the market are drawn anew and go on at its last price, the same for seed</span>
            <input
              type="number"
              className="field num w-24"
              min={0}
              max={1_000_000}
              value={seed}
              aria-label="Seed of the made bars"
              onChange={(event) => setSeed(Math.min(1_000_000, Math.max(0, Math.round(Number(event.target.value)))))}
            />
          </label>
        ) : (
          <label className="flex flex-col gap-1">
            <span>
              {kind === "file"
                ? `Which file, as the server finds it: rows of ${isBasket ? "market, " : ""}time, open, high, low, close, volume, or words of the feed`
                : "Which address, as ws://127.0.0.1:8790"}
            </span>
            <input
              className="field num"
              value={where}
              placeholder={kind === "file" ? "/home/me/bars.csv" : "ws://127.0.0.1:8790"}
              aria-label={kind === "file" ? "File of the feed" : "Address of the feed"}
              onChange={(event) => setWhere(event.target.value.trim())}
            />
          </label>
        )}
        {isBasket && (
          <p className="text-soft">
            The markets share the account. A moment is decided on once each of them has said its bar, or cannot have one
            any more.
          </p>
        )}
        {begin.error && <Trouble error={begin.error.message} />}
        <p className="flex gap-3">
          <button
            type="button"
            className="main-button"
            disabled={begin.isPending || (isNamed && where === "")}
            onClick={() =>
              begin.mutate(
                {
                  setup,
                  feed: feeds[kind],
                  since: kind === "replay" && since ? since : null,
                  run: state.origin ?? null,
                },
                { onSuccess: ({ number }) => onBegun(number) },
              )
            }
          >
            {begin.isPending ? "Beginning…" : "Begin the practice"}
          </button>
          <a className="self-center text-long underline" href="/guide?page=howto%2Fpractise-on-a-feed">
            How feeds work
          </a>
        </p>
      </div>
    </section>
  );
}
