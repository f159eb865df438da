import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import {
  accountsQuery,
  catalogueQuery,
  marketsQuery,
  placeOf,
  scriptsQuery,
  setupOf,
  startQuery,
  type FigureInfo,
  type Market,
  type Script,
  type Account,
  type Setup,
  type SetupState,
  type Trial,
} from "@/api";
import { AccountWord, InputsWord, MarketWord, SidesWord, SpanWord, TimeframeWord } from "@/setup";
import { OnWord } from "@/setup/OnWord";
import { Loading, Notice, Picker, Trouble } from "@/ui";
import { BasketDesk } from "./basket/BasketDesk";
import { Doubt } from "./doubt/Doubt";
import type { DeskProps } from "./desk";
import { CAN_BE_TOGETHER, FACES, setupOn, type Face, type TrialsState } from "./model";
import { varyingQuery } from "./queries";
import { SearchDesk } from "./search/SearchDesk";
import { StudyDesk } from "./study/StudyDesk";
import { SweepDesk } from "./sweep/SweepDesk";
import { WalkDesk } from "./walk/WalkDesk";

interface Props {
  state: TrialsState;
  onState: (state: TrialsState, isSame?: boolean) => void;
  onOpen: (state: SetupState) => void;
  onReport: DeskProps["onReport"];
  onPractise: DeskProps["onPractise"];
}

const DESKS = {
  sweep: SweepDesk,
  walk: WalkDesk,
  search: SearchDesk,
  study: StudyDesk,
  basket: BasketDesk,
  doubt: Doubt,
};

/** Many runs made on purpose, and every honest way to distrust one. */
export function Trials(props: Props) {
  const { state } = props;
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const catalogue = useQuery(catalogueQuery);
  const markets = useQuery(marketsQuery);
  const accounts = useQuery(accountsQuery);
  const failed = start.error ?? scripts.error ?? catalogue.error ?? markets.error ?? accounts.error;
  if (failed) return <Trouble error={failed.message} />;
  if (!start.data || !scripts.data || !catalogue.data || !markets.data || !accounts.data)
    return <Loading what="Opening the trials" />;
  const title = state.script ?? start.data.script;
  const script = scripts.data.find((item) => item.title === title);
  if (!script)
    return (
      <Trouble
        error={
          scripts.data.length === 0
            ? "There is no script to try yet: write one on the shelf."
            : `There is no script “${title}”.`
        }
      >
        {scripts.data[0] && (
          <button
            type="button"
            className="plain-button my-2"
            onClick={() =>
              props.onState({
                ...state,
                script: scripts.data[0]!.title,
                version: undefined,
                inputs: undefined,
                trial: undefined,
              })
            }
          >
            Try {scripts.data[0].title}
          </button>
        )}
      </Trouble>
    );
  const version = script.versions.find((item) => item.number === state.version) ?? script.versions.at(-1)!;
  const setup = setupOf(state, { ...start.data, ...script.home }, version.text);
  return (
    <Place
      {...props}
      setup={setup}
      title={script.title}
      version={version.number}
      scripts={scripts.data}
      figures={catalogue.data.figures}
      markets={markets.data}
      accounts={accounts.data}
    />
  );
}

interface PlaceProps extends Props {
  setup: Setup;
  title: string;
  version: number;
  scripts: Script[];
  figures: FigureInfo[];
  markets: Market[];
  accounts: Account[];
}

function Place({ state, setup: alone, title, version, scripts, figures, markets, accounts, ...props }: PlaceProps) {
  const { onState } = props;
  const face = state.face ?? "sweep";
  const setup = setupOn(face, alone, state);
  const varying = useQuery(varyingQuery(alone));
  // The address names all of what is tried, so that it can be given to somebody, and gone back to.
  useEffect(() => {
    const named = {
      ...state,
      script: title,
      version: state.version ?? version,
      market: setup.market,
      timeframe: setup.timeframe,
      account: setup.account,
    };
    if (JSON.stringify(named) !== JSON.stringify(state)) onState(named, true);
  });
  useEffect(() => {
    document.title = `${FACES.find((item) => item.face === face)?.label} of ${title} on ${placeOf(setup)} ${setup.timeframe} · Trials · Skelb`;
  }, [face, title, setup]);
  // Another setup has no results yet: the trial in view was of the one before.
  const put = (change: Partial<TrialsState>) => onState({ ...state, ...change, trial: undefined });
  const conditions = (
    <>
      from <SpanWord setup={setup} markets={markets} onPut={put} /> with{" "}
      <AccountWord setup={setup} accounts={accounts} markets={markets} onPut={put} />,{" "}
      <SidesWord setup={setup} onPut={put} />
      <InputsWord state={state} onPut={put} />
    </>
  );
  const words = {
    script: (
      <>
        <Picker
          label="Script"
          value={title}
          options={scripts.map((item) => ({ value: item.title, label: item.title }))}
          onChange={(script) => put({ script, version: undefined, inputs: undefined, x: undefined, y: undefined })}
        />{" "}
        v{version}
      </>
    ),
    market: CAN_BE_TOGETHER.has(face) ? (
      <OnWord setup={setup} state={state} markets={markets} onPut={put} />
    ) : (
      <MarketWord setup={setup} markets={markets} onPut={put} />
    ),
    timeframe: <TimeframeWord setup={setup} onPut={put} />,
    conditions,
  };
  if (varying.error)
    return (
      <Trouble error={`“${title}” cannot be tried like this: ${varying.error.message}`}>
        <p className="flex items-baseline gap-3 pt-2">
          <span>
            {words.script} on {words.market} at {words.timeframe}
          </span>
          <button
            type="button"
            className="plain-button"
            onClick={() => props.onOpen({ script: state.script, version: state.version })}
          >
            Open it in the Workbench
          </button>
        </p>
      </Trouble>
    );
  if (!varying.data) return <Loading what="Reading the script" />;
  const objectives = figures
    .filter((figure) => figure.higher_is_better !== null)
    .map((figure) => ({
      value: figure.key,
      label: figure.name.toLowerCase() + (figure.unit === "percent" ? " %" : ""),
    }));
  const onFace = (next: Face) => onState({ ...state, face: next === "sweep" ? undefined : next, trial: undefined });
  const originOf = (trial: Trial) => {
    const found = scripts
      .find((item) => item.title === trial.title)
      ?.versions.find((item) => item.text === trial.order.setup.text);
    return { script: trial.title, version: found?.number };
  };
  // A run of a basket is looked at where baskets are; the workbench shows one market.
  const onOpen = (next: TrialsState) =>
    next.markets ? onState({ ...state, ...next, face: "basket", trial: undefined }) : props.onOpen(next);
  const Desk = DESKS[face];
  return (
    <div className="flex h-full flex-col">
      {state.version !== undefined && state.version !== version && (
        <Notice text={`There is no version ${state.version} of ${title}: this is its newest, version ${version}.`}>
          <button type="button" className="plain-button !py-0" onClick={() => onState({ ...state, version }, true)}>
            All right
          </button>
        </Notice>
      )}
      <div className="min-h-0 flex-1">
        <Desk
          key={`${title} ${version} ${setup.market} ${setup.timeframe} ${face === "basket" ? "" : setup.basket?.join()}`}
          of={`${title} v${version}`}
          head={{ title, face, ...words, objectives, onFace }}
          state={state}
          setup={setup}
          varying={varying.data}
          figures={figures}
          markets={markets}
          originOf={originOf}
          onState={onState}
          onOpen={onOpen}
          onReport={props.onReport}
          onPractise={props.onPractise}
        />
      </div>
    </div>
  );
}
