import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import {
  api,
  conversionNamesQuery,
  pythonQuery,
  readBackQuery,
  unwrap,
  type FigureInfo,
  type Figures,
  type KeptRun,
  type Script,
  type Setup,
} from "@/api";
import { dateText, Dialog, difference, figureText, Loading, Picker, Said, saveFile, Trouble } from "@/ui";
import { ConversionChart } from "./ConversionChart";
import { CopyButton } from "./CopyButton";
import { Differences } from "./Differences";
import { fileName } from "./fileName";

interface Closing {
  onClose: () => void;
}

/** The strategy in plain sentences. */
export function ReadBack({ setup, onClose }: Closing & { setup: Setup }) {
  const told = useQuery(readBackQuery(setup));
  return (
    <Dialog title="The strategy, read back" onClose={onClose}>
      {told.isPending && <Loading what="Reading" />}
      {told.error && <Trouble error={told.error.message} />}
      {told.data && (
        <div className="px-4 py-3">
          {told.data.text.split("\n").map((sentence, index) => (
            <p key={index} className="mb-1.5">
              <Said text={sentence} />
            </p>
          ))}
          <CopyButton text={told.data.text.replaceAll("`", "")} label="Copy" />
        </div>
      )}
    </Dialog>
  );
}

/** The strategy as one Python file, to save and run elsewhere. */
export function TakeAway({ setup, onClose }: Closing & { setup: Setup }) {
  const written = useQuery(pythonQuery(setup));
  const name = fileName(setup.text);
  return (
    <Dialog title="Take away as Python" onClose={onClose} wide>
      {written.isPending && <Loading what="Writing" />}
      {written.error && <Trouble error={written.error.message} />}
      {written.data && (
        <>
          <div className="flex flex-none items-baseline gap-3 border-b border-line px-4 py-2">
            <p>
              One file that needs nothing but Python 3.11 or newer. It makes this strategy's trades on this market and
              account, on every day of the bars it is given: <code>python {name} BARS.csv</code>, and{" "}
              <code>--feed ADDRESS</code> goes on with a feed.
            </p>
            <span className="ml-auto flex flex-none gap-2">
              <CopyButton text={written.data.text} label="Copy" />
              <button
                type="button"
                className="plain-button"
                onClick={() => saveFile(name, written.data.text, "text/x-python")}
              >
                Save {name}
              </button>
            </span>
          </div>
          <textarea
            readOnly
            aria-label={name}
            className="min-h-[24rem] flex-1 resize-none overflow-auto bg-base-200 px-4 py-3 font-mono text-small whitespace-pre"
            value={written.data.text}
          />
        </>
      )}
    </Dialog>
  );
}

/** Any two versions side by side, and the way back to one. */
export function Versions({
  script,
  text,
  onTake,
  onClose,
}: Closing & { script: Script; text: string; onTake: (text: string) => void }) {
  const versions = [...script.versions].reverse();
  const [left, setLeft] = useState(
    String(versions[text === versions[0]?.text ? 1 : 0]?.number ?? versions[0]?.number ?? ""),
  );
  const [right, setRight] = useState("now");
  const names = versions.map((version) => ({
    value: String(version.number),
    label: `v${version.number} of ${dateText(version.created)}`,
  }));
  const options = [{ value: "now", label: "the text as it is now" }, ...names];
  const of = (name: string) =>
    name === "now" ? text : (versions.find((version) => String(version.number) === name)?.text ?? "");
  return (
    <Dialog title={`Versions of ${script.title}`} onClose={onClose} wide>
      <div className="flex flex-none items-center gap-3 px-4 py-2">
        <Picker label="Earlier text" value={left} options={options} onChange={setLeft} />
        <span className="text-soft">against</span>
        <Picker label="Later text" value={right} options={options} onChange={setRight} />
        {of(left) === of(right) && <span className="text-soft">the same text</span>}
        {left !== "now" && (
          <button
            type="button"
            className="plain-button ml-auto"
            disabled={of(left) === text}
            onClick={() => (onTake(of(left)), onClose())}
          >
            Go back to v{left}
          </button>
        )}
      </div>
      <Differences before={of(left)} after={of(right)} />
    </Dialog>
  );
}

/** Another text beside the one in view. */
export function Compared({
  name,
  before,
  after,
  onTake,
  onClose,
}: Closing & { name: string; before: string; after: string; onTake: (text: string) => void }) {
  return (
    <Dialog title={`The text here against ${name}`} onClose={onClose} wide>
      <div className="flex flex-none items-center gap-3 px-4 py-2">
        <span className="text-soft">left: {name}; right: the text here</span>
        {before === after && <span>the same text</span>}
        <button
          type="button"
          className="plain-button ml-auto"
          disabled={before === after}
          onClick={() => (onTake(before), onClose())}
        >
          Take {name}
        </button>
      </div>
      <Differences before={before} after={after} />
    </Dialog>
  );
}

/** The pinned run's text and setup against those of now. */
export function Changed({
  pinned,
  setup,
  all,
  figures,
  onTake,
  onClose,
}: Closing & {
  pinned: KeptRun | null;
  setup: Setup;
  all: Figures | null;
  figures: FigureInfo[];
  onTake: (text: string) => void;
}) {
  if (!pinned)
    return (
      <Dialog title="What changed since the kept run" onClose={onClose}>
        <p className="px-4 py-4">
          No run is compared with. Press Keep in the sentence, change something, and come back.
        </p>
      </Dialog>
    );
  const changed = settingsChanged(pinned.setup, setup);
  return (
    <Dialog title={`What changed since run ${pinned.number}`} onClose={onClose} wide>
      <div className="flex flex-none items-center gap-3 px-4 py-2">
        <span>{changed.length > 0 ? changed.join("; ") : "Market, dates, account and inputs are the same"}.</span>
        <button
          type="button"
          className="plain-button ml-auto"
          disabled={pinned.setup.text === setup.text}
          onClick={() => (onTake(pinned.setup.text), onClose())}
        >
          Go back to its text
        </button>
      </div>
      <Differences before={pinned.setup.text} after={setup.text} />
      {all && <EveryFigure before={pinned.figures.all ?? {}} after={all} figures={figures} />}
    </Dialog>
  );
}

/** All figures of two runs, each with its difference. */
function EveryFigure({ before, after, figures }: { before: Figures; after: Figures; figures: FigureInfo[] }) {
  return (
    <dl
      className="columns-2 gap-8 border-t border-line px-4 py-3"
      aria-label="Every figure, now and pinned"
      data-testid="every-figure"
    >
      {figures.map((figure) => {
        const change = difference(figure, after[figure.key], before[figure.key]);
        return (
          <div
            key={figure.key}
            className="flex items-baseline gap-2 border-b border-line py-[2px]"
            title={figure.meaning}
          >
            <dt className="flex-1 text-soft">{figure.name}</dt>
            <dd className="num w-24 text-right font-semibold">{figureText(figure, after[figure.key])}</dd>
            <dd className="num w-24 text-right text-soft">{figureText(figure, before[figure.key])}</dd>
            <dd
              className={`num w-24 text-right text-note ${!change || change.better === null ? "text-soft" : change.better ? "text-gain" : "text-loss"}`}
              data-difference={figure.key}
            >
              {change?.text ?? ""}
            </dd>
          </div>
        );
      })}
    </dl>
  );
}

/** What of the setup besides the text differs, in words. */
function settingsChanged(before: Setup, after: Setup): string[] {
  const found: string[] = [];
  for (const [name, a, b] of [
    ["market", before.market, after.market],
    ["timeframe", before.timeframe, after.timeframe],
    ["first date", before.from_date, after.from_date],
    ["last date", before.to_date, after.to_date],
    ["account", before.account, after.account],
    ["sides", before.inverted ? "exchanged" : before.sides, after.inverted ? "exchanged" : after.sides],
  ] as const)
    if ((a ?? "") !== (b ?? "")) found.push(`${name} ${a ?? "open"} → ${b ?? "open"}`);
  const inputs = new Set([...Object.keys(before.inputs ?? {}), ...Object.keys(after.inputs ?? {})]);
  for (const name of inputs) {
    const [a, b] = [before.inputs?.[name], after.inputs?.[name]];
    if (a !== b) found.push(`${name} ${a ?? "its default"} → ${b ?? "its default"}`);
  }
  return found;
}

/** The brief to copy, and the way back for the answer. */
export function AskElsewhere({ setup, onTake, onClose }: Closing & { setup: Setup; onTake: (text: string) => void }) {
  const [wish, setWish] = useState("");
  const [answer, setAnswer] = useState("");
  const copied = useMutation({
    mutationFn: async () => {
      const { text: found } = await unwrap(api.POST("/api/texts/brief", { body: { text: setup.text, wish, setup } }));
      await navigator.clipboard.writeText(found);
      return found.length;
    },
  });
  const fresh = withoutFences(answer);
  const judged = useQuery({
    queryKey: ["wrong", fresh],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/wrong", { body: { text: fresh }, signal })),
    enabled: fresh.trim() !== "",
  });
  return (
    <Dialog title="Ask elsewhere" onClose={onClose} wide>
      <div className="flex flex-none flex-col gap-2 px-4 py-3">
        <label className="flex flex-col gap-1">
          <span>1. What should the script become?</span>
          <textarea
            className="field h-14 p-2"
            value={wish}
            onChange={(event) => setWish(event.target.value)}
            placeholder="Add a trailing stop, and trade only in the morning."
          />
        </label>
        <div className="flex items-center gap-3">
          <button type="button" className="main-button" disabled={copied.isPending} onClick={() => copied.mutate()}>
            Copy the brief
          </button>
          <span className="text-soft">
            {copied.data
              ? `Copied, ${copied.data.toLocaleString("en")} characters: paste it to any assistant.`
              : "It holds the language in two pages, this script, what is wrong with it, how it runs here, and the wish."}
          </span>
        </div>
        {copied.error && <Trouble error={`${copied.error.message}`} />}
        <label className="flex flex-col gap-1">
          <span>2. Paste the answer</span>
          <textarea
            className="field num h-24 p-2"
            value={answer}
            onChange={(event) => setAnswer(event.target.value)}
            aria-label="The answer"
          />
        </label>
      </div>
      {fresh.trim() !== "" && (
        <>
          <div className="flex flex-none items-center gap-3 px-4 pb-2">
            <span>3. What it changes:</span>
            {judged.data &&
              (judged.data.errors === 0 ? (
                <span className="text-gain">✓ checks clean</span>
              ) : (
                <span className="text-loss">
                  ✕ {judged.data.errors === 1 ? "1 error" : `${judged.data.errors} errors`}
                </span>
              ))}
            {judged.data && judged.data.errors > 0 && (
              <CopyButton text={`${fresh}\n\nThis is wrong with it:\n${judged.data.text}`} label="Copy what is wrong" />
            )}
            <button type="button" className="main-button ml-auto" onClick={() => (onTake(fresh), onClose())}>
              Take it as the new text
            </button>
          </div>
          {judged.data && judged.data.errors > 0 && (
            <pre className="num max-h-28 flex-none overflow-auto px-4 pb-2 whitespace-pre-wrap text-loss">
              {judged.data.text.replaceAll("`", "")}
            </pre>
          )}
          <Differences before={setup.text} after={fresh} />
        </>
      )}
    </Dialog>
  );
}

/** An answer without the fence that assistants put around code. */
function withoutFences(answer: string): string {
  const fenced = /```[a-z]*\n([\s\S]*?)```/.exec(answer);
  return fenced?.[1] ?? answer;
}

const momentText = (iso: string) => iso.replace("T", " ").replace("Z", " UTC");

/** A name of the script against a column that came with the bars; `onGo` shows a difference on the chart. */
export function CheckConversion({ setup, onGo, onClose }: Closing & { setup: Setup; onGo?: (time: string) => void }) {
  const names = useQuery(conversionNamesQuery(setup));
  const [chosen, setChosen] = useState<{ name?: string; column?: string }>({});
  const column = chosen.column ?? names.data?.columns[0] ?? "";
  const name = chosen.name ?? names.data?.names.find((item) => item === column) ?? names.data?.names[0] ?? "";
  const result = useQuery({
    queryKey: ["conversion", setup, name, column],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/conversion", { body: { setup, name, column }, signal })),
    enabled: name !== "" && column !== "",
  });
  return (
    <Dialog title="Check a conversion" onClose={onClose} wide>
      {names.isPending && <Loading what="Looking at the script and the bars" />}
      {names.error && <Trouble error={names.error.message} />}
      {names.data && names.data.columns.length === 0 && (
        <p className="px-4 py-4">
          The bars of {setup.market} have no further column. Import them with the original's values as one more column
          of the file (time,open,high,low,close,volume,ref), then compare here.
        </p>
      )}
      {names.data && names.data.columns.length > 0 && (
        <div className="flex min-h-0 flex-1 flex-col gap-3 px-4 py-3">
          <div className="flex items-center gap-3">
            <Picker
              label="Name of the script"
              value={name}
              options={names.data.names.map((value) => ({ value, label: value }))}
              onChange={(value) => setChosen({ ...chosen, name: value })}
            />
            <span className="text-soft">against the column</span>
            <Picker
              label="Column of the bars"
              value={column}
              options={names.data.columns.map((value) => ({ value, label: value }))}
              onChange={(value) => setChosen({ ...chosen, column: value })}
            />
          </div>
          {result.error && <Trouble error={result.error.message} />}
          {result.data && (
            <>
              <p role="status" className={`text-base ${result.data.equal ? "text-gain" : "text-loss"}`}>
                {result.data.equal ? "✓ " : "✕ "}
                {result.data.verdict}
              </p>
              {[result.data.first, result.data.largest].map(
                (place, index) =>
                  place && (
                    <p key={index}>
                      {index === 0 ? "First" : "Largest"} difference:{" "}
                      {onGo ? (
                        <button
                          type="button"
                          className="cursor-pointer text-long hover:underline"
                          onClick={() => (onGo(place.time), onClose())}
                        >
                          {momentText(place.time)}
                        </button>
                      ) : (
                        momentText(place.time)
                      )}
                      , <span className="num">{place.found.toPrecision(8)}</span> instead of{" "}
                      <span className="num">{place.original.toPrecision(8)}</span>
                    </p>
                  ),
              )}
              <ConversionChart result={result.data} />
            </>
          )}
        </div>
      )}
    </Dialog>
  );
}
