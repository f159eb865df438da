import type { ReactNode, RefObject } from "react";
import type { Account, Market, Script, Setup, SetupState } from "@/api";
import { AccountWord, MarketWord, SidesWord, SpanWord, TimeframeWord } from "@/setup";
import { Picker } from "@/ui";

interface Props {
  state: SetupState;
  setup: Setup;
  title: string;
  /** The version in view; 0 for a script that was never saved. */
  version: number;
  isSaved: boolean;
  scripts: Script[];
  markets: Market[];
  accounts: Account[];
  lastCosts: string | null;
  accountRef: RefObject<HTMLButtonElement | null>;
  onSize: () => void;
  onState: (state: SetupState) => void;
  children: ReactNode;
}

/** The whole setup as one sentence; every underlined word can be another. */
export function Sentence({
  state,
  setup,
  title,
  version,
  isSaved,
  scripts,
  markets,
  accounts,
  lastCosts,
  accountRef,
  onSize,
  onState,
  children,
}: Props) {
  const script = scripts.find((item) => item.title === title);
  const titles = [...(script ? [] : [title]), ...scripts.map((item) => item.title)];
  const versions = script?.versions ?? [{ number: version }];
  const home = script?.home;
  const isAway = home && (home.market !== setup.market || home.timeframe !== setup.timeframe);
  const put = (change: Partial<SetupState>) => onState({ ...state, ...change });
  return (
    <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-sentence text-soft">
      <h1 className="sr-only">Workbench</h1>
      <span>Test</span>
      {/* Another script keeps market, timeframe, days and account: only its inputs are its own. */}
      <Picker
        label="Script"
        value={title}
        options={titles.map((name) => ({ value: name, label: name }))}
        onChange={(name) => onState({ ...state, script: name, version: undefined, inputs: undefined })}
      />
      <Picker
        label="Version"
        value={String(version)}
        options={versions
          .map((item) => ({
            value: String(item.number),
            label:
              item.number === 0
                ? "never saved"
                : `v${item.number}${item.number === version && !isSaved ? " changed" : ""}`,
          }))
          .reverse()}
        onChange={(value) => onState({ ...state, version: Number(value) })}
      />
      {isAway && (
        <button
          type="button"
          className="cursor-pointer rounded-sm border border-line px-1 text-small hover:border-soft hover:text-base-content"
          title={`${title} was written for ${home.market} at ${home.timeframe}: go there`}
          onClick={() => put({ ...home, from: undefined, to: undefined })}
        >
          home: {home.market} {home.timeframe}
        </button>
      )}
      <span>on</span>
      <MarketWord setup={setup} markets={markets} onPut={put} />
      <span>at</span>
      <TimeframeWord setup={setup} onPut={put} />
      <span>from</span>
      <SpanWord setup={setup} markets={markets} onPut={put} />
      <span>with</span>
      <AccountWord
        setup={setup}
        accounts={accounts}
        markets={markets}
        onPut={put}
        drop={78}
        buttonRef={accountRef}
        lastCosts={lastCosts}
        onSize={onSize}
      />
      <SidesWord setup={setup} onPut={put} />
      <span className="ml-auto flex gap-2 text-body text-base-content">{children}</span>
    </header>
  );
}
