import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { conditionsQuery, sheetQuery, type Catalogue, type Script, type Setup } from "@/api";
import { figureText, Loading, Picker, Said, Trouble } from "@/ui";
import { useLiveRun } from "../useLiveRun";
import { ConditionList } from "./ConditionList";
import { aliasFor, emptyDraft, freeTitle, strategyText, toggled, type Slot, type Source } from "./model";
import { PlanColumn } from "./PlanColumn";

interface Props {
  setup: Setup;
  title: string;
  scripts: Script[];
  catalogue: Catalogue;
  isSaving: boolean;
  onMake: (text: string) => void;
  onClose: () => void;
}

const SHOWN = ["net_profit", "max_drawdown_percent", "profit_factor", "win_rate", "trades"];

/** From an indicator's conditions to a strategy: press them into the plan, the text is written beside it. */
export function PlanBuilder({ setup, title, scripts, catalogue, isSaving, onMake, onClose }: Props) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => host.current?.focus(), []);
  const [draft, setDraft] = useState(() =>
    emptyDraft(
      freeTitle(
        `${title} rules`,
        scripts.map((script) => script.title),
      ),
    ),
  );
  const [others, setOthers] = useState<string[]>([]);
  const first = useQuery(conditionsQuery(setup));
  const added = useMemo(
    () =>
      others.flatMap((name) =>
        scripts
          .filter((script) => script.title === name)
          .map((script) => ({ title: name, text: script.versions.at(-1)?.text ?? "" })),
      ),
    [others, scripts],
  );
  const found = useQueries({
    queries: added.map((script) => conditionsQuery({ ...setup, text: script.text, inputs: {} })),
  });
  const sources: Source[] = [{ title, alias: null, conditions: first.data?.conditions ?? [] }];
  const builtIn = catalogue.entries.map((entry) => entry.name);
  const aliases: string[] = [];
  added.forEach((script, place) => {
    const alias = aliasFor(script.title, setup.text, [...builtIn, ...aliases]);
    aliases.push(alias);
    sources.push({
      title: script.title,
      alias,
      conditions: found[place]?.data?.conditions ?? [],
      problem: found[place]?.error?.message,
    });
  });
  const uses = sources.filter((source) => source.alias !== null);
  const base = first.data?.indicator ?? setup.text;
  const longOnly = strategyText(
    { ...draft, isMirrored: false, chosen: { ...draft.chosen, goShort: [], leaveShort: [] }, rules: [] },
    base,
    uses,
    [],
  );
  const sheet = useQuery({
    ...sheetQuery({ ...setup, text: longOnly.indicator + longOnly.rules }),
    enabled: draft.isMirrored,
    placeholderData: keepPreviousData,
  });
  const longRows = draft.isMirrored ? (sheet.data?.rows ?? []).filter((row) => row.side === "long") : [];
  const mirror = longRows.flatMap((row) => (row.mirror === null ? [] : [row.mirror]));
  const written = strategyText(draft, base, uses, mirror);
  const text = written.indicator + written.rules;
  const rules = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    rules.current?.scrollIntoView({ block: "nearest" });
  }, [written.rules]);
  const hasEntry = draft.chosen.goLong.length + draft.chosen.goShort.length > 0;
  const live = useLiveRun(hasEntry ? { ...setup, text } : null);
  const isSound = live.answer?.sound ?? false;

  if (first.isPending) return <Loading what="Counting how often each condition came" />;
  if (first.error)
    return (
      <Trouble error={first.error.message}>
        <button type="button" className="plain-button my-2" onClick={onClose}>
          Back to the text
        </button>
      </Trouble>
    );
  const press = (slot: Slot, condition: string) =>
    setDraft({ ...draft, chosen: { ...draft.chosen, [slot]: toggled(draft.chosen[slot], condition) } });
  // Escape leaves an empty plan; one that was begun is only given up by pressing Cancel.
  const hasPlan = draft.rules.length > 0 || Object.values(draft.chosen).some((chosen) => chosen.length > 0);
  const isEmpty = others.length === 0 && first.data.conditions.length === 0;
  return (
    <section
      ref={host}
      aria-label="Make rules"
      tabIndex={-1}
      className="flex h-full flex-col outline-none"
      onKeyDown={(event) => event.key === "Escape" && !hasPlan && onClose()}
    >
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-sentence text-soft">
        <h1 className="font-normal">
          Make rules from <span className="font-semibold text-base-content">{title}</span> tried on{" "}
          <span className="font-semibold text-base-content">{setup.market}</span> at{" "}
          <span className="font-semibold text-base-content">{setup.timeframe}</span>
        </h1>
        <span className="ml-auto text-body">
          <Picker
            label="Add another script"
            value=""
            options={[
              { value: "", label: "add another script…" },
              ...scripts
                .filter((script) => script.title !== title && !others.includes(script.title))
                .map((script) => ({ value: script.title, label: script.title })),
            ]}
            onChange={(name) => name && setOthers([...others, name])}
          />
        </span>
      </header>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(330px,1fr)_minmax(360px,1.25fr)_minmax(280px,0.9fr)]">
        <ConditionList
          sources={sources}
          chosen={draft.chosen}
          isMirrored={draft.isMirrored}
          onPress={press}
          onRemove={(name) => setOthers(others.filter((other) => other !== name))}
        />
        <PlanColumn
          draft={draft}
          examples={first.data.examples}
          unmirrored={longRows.filter((row) => row.mirror === null).map((row) => row.text)}
          onDraft={setDraft}
        />
        <div className="flex min-h-0 flex-col border-l border-line bg-base-100">
          <label className="flex flex-none items-center gap-2 border-b border-line px-4 py-2">
            <span className="text-soft">called</span>
            <input
              className="field min-w-0 flex-1"
              aria-label="Title of the strategy"
              value={draft.title}
              onChange={(event) => setDraft({ ...draft, title: event.target.value })}
            />
          </label>
          <pre
            className="num m-0 min-h-0 flex-1 overflow-auto px-4 py-2 text-note leading-5 whitespace-pre-wrap"
            role="region"
            aria-label="What is being written"
            tabIndex={0}
            data-testid="built-text"
          >
            <span className="text-soft">{written.indicator}</span>
            <span ref={rules} className="block bg-shallow px-1" data-testid="built-rules">
              {written.rules}
            </span>
          </pre>
        </div>
      </div>
      <footer className="flex min-h-[52px] flex-none items-center gap-6 border-t border-line px-4">
        {!hasEntry ? (
          <p className="text-soft">
            {isEmpty
              ? "Add a script that names conditions."
              : "Press “go long” or “go short” at a condition to begin; it is tried as you go."}
          </p>
        ) : live.answer && !isSound ? (
          <p className="text-loss">
            <Said text="This does not check clean yet: a part cannot stand where it was put. Take it out, or make the strategy and mend it in the text." />
          </p>
        ) : (
          <dl
            className={`flex gap-6 ${live.isOfView ? "" : "text-soft italic"}`}
            aria-busy={!live.isOfView}
            data-testid="built-figures"
          >
            {SHOWN.map((key) => {
              const info = catalogue.figures.find((figure) => figure.key === key);
              return info ? (
                <div key={key} className="flex flex-col" title={info.meaning}>
                  <dt className="order-2 text-small leading-4 text-soft italic">{info.name}</dt>
                  <dd className="num order-1 text-figure font-semibold" data-figure={key}>
                    {figureText(info, live.run?.figures.all[key])}
                  </dd>
                </div>
              ) : null;
            })}
          </dl>
        )}
        {live.standing.kind === "failed" && <p className="text-loss">{live.standing.reason}</p>}
        <span className="ml-auto flex gap-2">
          <button type="button" className="plain-button" onClick={onClose}>
            Cancel
          </button>
          <button
            type="button"
            className="main-button"
            disabled={!hasEntry || isSaving || !draft.title.trim()}
            onClick={() => onMake(text)}
          >
            Make the strategy
          </button>
        </span>
      </footer>
    </section>
  );
}
