import { useQuery } from "@tanstack/react-query";
import { catalogueQuery, marketsQuery, scriptsQuery, setupOf, startQuery, type FigureInfo, type Market, type Script, type Setup, type SetupState, type Trial } from "@/api";
import { Loading, Picker, Trouble } from "@/ui";
import { BasketDesk } from "./basket/BasketDesk";
import { Doubt } from "./doubt/Doubt";
import { TIMEFRAMES, type Face, type TrialsState } from "./model";
import { varyingQuery } from "./queries";
import { SearchDesk } from "./search/SearchDesk";
import { StudyDesk } from "./study/StudyDesk";
import { SweepDesk } from "./sweep/SweepDesk";
import { WalkDesk } from "./walk/WalkDesk";

interface Props {
  state: TrialsState;
  onState: (state: TrialsState) => void;
  onOpen: (state: SetupState) => void;
}

const DESKS = { sweep: SweepDesk, walk: WalkDesk, search: SearchDesk, study: StudyDesk, basket: BasketDesk, doubt: Doubt };

/** Many runs made on purpose, and every honest way to distrust one. */
export function Trials(props: Props) {
  const { state } = props;
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const catalogue = useQuery(catalogueQuery);
  const markets = useQuery(marketsQuery);
  const failed = start.error ?? scripts.error ?? catalogue.error ?? markets.error;
  if (failed) return <Trouble error={failed.message} />;
  if (!start.data || !scripts.data || !catalogue.data || !markets.data) return <Loading what="Opening the trials" />;
  const title = state.script ?? start.data.script;
  const script = scripts.data.find((item) => item.title === title) ?? scripts.data[0];
  const version = script?.versions.find((item) => item.number === state.version) ?? script?.versions.at(-1);
  if (!script || !version) return <p className="p-6 text-soft">There is no script to try yet: write one on the shelf.</p>;
  const setup = setupOf(state, { ...start.data, ...script.home }, version.text);
  return <Place {...props} setup={setup} title={script.title} version={version.number} scripts={scripts.data} figures={catalogue.data.figures} markets={markets.data} />;
}

interface PlaceProps extends Props {
  setup: Setup;
  title: string;
  version: number;
  scripts: Script[];
  figures: FigureInfo[];
  markets: Market[];
}

function Place({ state, setup, title, version, scripts, figures, markets, onState, onOpen }: PlaceProps) {
  const varying = useQuery(varyingQuery(setup));
  const face = state.face ?? "sweep";
  const words = {
    script: (
      <>
        <Picker label="Script" value={title} options={scripts.map((item) => ({ value: item.title, label: item.title }))} onChange={(value) => onState({ script: value, face: state.face })} /> v{version}
      </>
    ),
    market: <Picker label="Market" value={setup.market} options={markets.map((item) => ({ value: item.symbol, label: item.symbol }))} onChange={(market) => onState({ ...state, market, trial: undefined })} />,
    timeframe: <Picker label="Timeframe" value={setup.timeframe} options={TIMEFRAMES.map((value) => ({ value, label: value }))} onChange={(timeframe) => onState({ ...state, timeframe, trial: undefined })} />,
  };
  if (varying.error)
    return (
      <Trouble error={`“${title}” cannot be tried like this: ${varying.error.message}`}>
        <p className="flex items-baseline gap-3 pt-2">
          <span>
            {words.script} on {words.market} at {words.timeframe}
          </span>
          <button type="button" className="plain-button" onClick={() => onOpen({ script: state.script, version: state.version })}>
            Open it in the Workbench
          </button>
        </p>
      </Trouble>
    );
  if (!varying.data) return <Loading what="Reading the script" />;
  const objectives = figures.filter((figure) => figure.higher_is_better !== null).map((figure) => ({ value: figure.key, label: figure.name.toLowerCase() + (figure.unit === "percent" ? " %" : "") }));
  const onFace = (next: Face) => onState({ ...state, face: next === "sweep" ? undefined : next, trial: undefined });
  const originOf = (trial: Trial) => {
    const found = scripts.find((item) => item.title === trial.title)?.versions.find((item) => item.text === trial.order.setup.text);
    return { script: trial.title, version: found?.number };
  };
  const Desk = DESKS[face];
  return <Desk key={`${title} ${version} ${setup.market} ${setup.timeframe}`} head={{ title, face, ...words, objectives, onFace }} state={state} setup={setup} varying={varying.data} figures={figures} markets={markets} originOf={originOf} onState={onState} onOpen={onOpen} />;
}
