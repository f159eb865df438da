import type { ReactNode } from "react";
import type { Account, Market, Script, Setup, SetupState } from "@/api";
import { Picker } from "@/ui";
import { TIMEFRAMES } from "./model";
import { SpanPicker } from "./SpanPicker";

interface Props {
  state: SetupState;
  setup: Setup;
  title: string;
  version: number;
  isSaved: boolean;
  scripts: Script[];
  markets: Market[];
  accounts: Account[];
  onState: (state: SetupState) => void;
  children: ReactNode;
}

/** The whole setup as one sentence; every underlined word can be another. */
export function Sentence({ state, setup, title, version, isSaved, scripts, markets, accounts, onState, children }: Props) {
  const market = markets.find((item) => item.symbol === setup.market);
  const first = market?.bars.map((bars) => bars.first.slice(0, 10)).sort()[0] ?? "";
  const last = market?.bars.map((bars) => bars.last.slice(0, 10)).sort().at(-1) ?? "";
  const openScript = (name: string) => {
    const home = scripts.find((script) => script.title === name)?.home;
    onState({ ...state, script: name, version: undefined, inputs: undefined, ...(home ? { market: home.market, timeframe: home.timeframe, from: undefined, to: undefined } : {}) });
  };
  const versions = scripts.find((script) => script.title === title)?.versions ?? [];
  return (
    <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-[14.5px] text-soft">
      <h1 className="sr-only">Workbench</h1>
      <span>Test</span>
      <Picker label="Script" value={title} options={scripts.map((script) => ({ value: script.title, label: script.title }))} onChange={openScript} />
      <Picker
        label="Version"
        value={String(version)}
        options={versions.map((item) => ({ value: String(item.number), label: `v${item.number}${item.number === version && !isSaved ? " changed" : ""}` })).reverse()}
        onChange={(value) => onState({ ...state, version: Number(value) })}
      />
      <span>on</span>
      <Picker
        label="Market"
        value={setup.market}
        options={markets.map((item) => ({ value: item.symbol, label: item.symbol }))}
        onChange={(value) => onState({ ...state, market: value, from: undefined, to: undefined })}
      />
      <span>at</span>
      <Picker label="Timeframe" value={setup.timeframe} options={TIMEFRAMES.map((value) => ({ value, label: value }))} onChange={(value) => onState({ ...state, timeframe: value })} />
      <span>from</span>
      <SpanPicker market={setup.market} first={first} last={last} from={state.from ?? first} to={state.to ?? last} onSpan={(from, to) => onState({ ...state, from, to })} />
      <span>with</span>
      <Picker label="Account" value={setup.account} options={accounts.map((item) => ({ value: item.name, label: item.name }))} onChange={(value) => onState({ ...state, account: value })} />
      <Picker
        label="Sides"
        value={setup.inverted ? "inverted" : (setup.sides ?? "both")}
        options={[
          { value: "both", label: "both sides" },
          { value: "long", label: "long only" },
          { value: "short", label: "short only" },
          { value: "inverted", label: "sides exchanged" },
        ]}
        onChange={(value) => onState({ ...state, sides: value === "long" || value === "short" ? value : undefined, inverted: value === "inverted" || undefined })}
      />
      <span className="ml-auto flex gap-2 text-[13px] text-base-content">{children}</span>
    </header>
  );
}
