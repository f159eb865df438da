import { useState } from "react";
import type { InputInfo, Market, Script, Setup, SetupState } from "@/api";
import { isBuildable, timeframeInstead } from "@/setup";
import { dateText, Notice, timeText } from "@/ui";
import { draftsElsewhere, dropDraft, type Draft } from "@/keeping";
import type { Opened } from "./model";

interface Props {
  state: SetupState;
  setup: Setup;
  title: string;
  opened: Opened;
  script: Script | undefined;
  markets: Market[];
  /** The inputs that the text in view has; null while that is not known. */
  inputs: InputInfo[] | null;
  /** Why the pinned run is not there. */
  pinnedError: string | null;
  /** A version that was saved elsewhere since the script was opened here. */
  savedElsewhere: number | null;
  onState: (state: SetupState, isSame?: boolean) => void;
  onCompare: (with_: { version: number } | { text: string }) => void;
  onText: (text: string) => void;
}

/** What an address, another window or an earlier hour left that one should know of, each with what can be done about it. */
export function Notices({
  state,
  setup,
  title,
  opened,
  script,
  markets,
  inputs,
  pinnedError,
  savedElsewhere,
  onState,
  onCompare,
  onText,
}: Props) {
  const [, redraw] = useState(0);
  const market = markets.find((item) => item.symbol === setup.market);
  const instead =
    market && !isBuildable(market, setup.timeframe) ? timeframeInstead(market, setup.timeframe) : undefined;
  const unknown =
    inputs === null
      ? []
      : Object.keys(state.inputs ?? {}).filter((name) => !inputs.some((input) => input.name === name));
  const wanted = state.version;
  const isOther = wanted !== undefined && wanted !== opened.number;
  const left = draftsElsewhere(title).filter((draft) => draft.text !== opened.text);
  const press = (label: string, act: () => void) => (
    <button key={label} type="button" className="plain-button !py-0" onClick={act}>
      {label}
    </button>
  );
  const without = () => {
    const kept = Object.fromEntries(Object.entries(state.inputs ?? {}).filter(([name]) => !unknown.includes(name)));
    onState({ ...state, inputs: Object.keys(kept).length > 0 ? kept : undefined }, true);
  };
  return (
    <>
      {isOther && (
        <Notice text={`There is no version ${wanted} of ${title}: this is its newest, version ${opened.number}.`}>
          {press("All right", () => onState({ ...state, version: opened.number }, true))}
        </Notice>
      )}
      {unknown.length > 0 && (
        <Notice
          text={`This text has no input ${unknown.map((name) => `\`${name}\``).join(", ")}: ${unknown.length > 1 ? "they change" : "it changes"} nothing.`}
        >
          {press("Leave out", without)}
        </Notice>
      )}
      {pinnedError && (
        <Notice text={`${pinnedError}: nothing is seen against it.`}>
          {press("Leave out", () => onState({ ...state, pinned: undefined }, true))}
        </Notice>
      )}
      {market && instead && (
        <Notice
          text={`${setup.timeframe} bars of ${setup.market} cannot be built from what is stored: ${market.bars.map((bars) => bars.timeframe).join(", ")}.`}
        >
          {press(`Use ${instead}`, () => onState({ ...state, timeframe: instead }))}
        </Notice>
      )}
      {savedElsewhere !== null && script && (
        <Notice
          text={`Version ${savedElsewhere} of ${title} was saved elsewhere; what is here is built on version ${opened.number}.`}
        >
          {press("Look at the difference", () => onCompare({ version: savedElsewhere }))}
          {press(`Go over to version ${savedElsewhere}`, () => onState({ ...state, version: savedElsewhere }))}
        </Notice>
      )}
      {left.slice(0, 2).map((draft) => (
        <Left
          key={`${draft.tab} ${draft.version}`}
          draft={draft}
          onLook={() => onCompare({ text: draft.text })}
          onTake={() => {
            onText(draft.text);
            dropDraft(draft);
            redraw((count) => count + 1);
          }}
          onForget={() => {
            dropDraft(draft);
            redraw((count) => count + 1);
          }}
        />
      ))}
    </>
  );
}

/** A text that another window left unsaved. */
function Left({
  draft,
  onLook,
  onTake,
  onForget,
}: {
  draft: Draft;
  onLook: () => void;
  onTake: () => void;
  onForget: () => void;
}) {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return (
    <Notice
      text={`Another window has an unsaved text of this script, typed ${dateText(new Date(draft.at).toISOString())} at ${timeText(draft.at / 1000, zone, "time")}.`}
    >
      {(
        [
          ["Look at the difference", onLook],
          ["Take it", onTake],
          ["Forget it", onForget],
        ] as const
      ).map(([label, act]) => (
        <button key={label} type="button" className="plain-button !py-0" onClick={act}>
          {label}
        </button>
      ))}
    </Notice>
  );
}
