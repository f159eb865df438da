import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { accountsQuery, catalogueQuery, marketsQuery, scriptsQuery, startQuery } from "@/api";
import { Loading, Trouble } from "@/ui";
import { Bench } from "./Bench";
import { openedOf } from "./model";
import type { WorkbenchProps } from "./useBench";

/** The place where a script meets a market. */
export function Workbench(props: WorkbenchProps) {
  const { state, onState } = props;
  const start = useQuery(startQuery);
  const scripts = useQuery(scriptsQuery);
  const markets = useQuery(marketsQuery);
  const accounts = useQuery(accountsQuery);
  const catalogue = useQuery(catalogueQuery);
  const title = state.script ?? start.data?.script;
  const script = scripts.data?.find((item) => item.title === title);
  const opened = title === undefined || !scripts.data ? undefined : openedOf(script, title, state.version);
  const defaults = start.data;
  // The address names all of what is in view, so that it can be given to somebody, and gone back to.
  useEffect(() => {
    if (!defaults || !opened) return;
    const named = {
      ...state,
      script: title,
      version: state.version ?? opened.number,
      market: state.market ?? defaults.market,
      timeframe: state.timeframe ?? defaults.timeframe,
      account: state.account ?? defaults.account,
    };
    if (JSON.stringify(named) !== JSON.stringify(state)) onState(named, true);
  });
  const failed = start.error ?? scripts.error ?? markets.error ?? accounts.error ?? catalogue.error;
  if (failed) return <Trouble error={`${failed.message} Is the program still running?`} />;
  if (!start.data || !scripts.data || !markets.data || !accounts.data || !catalogue.data)
    return <Loading what="Opening the workbench" />;
  if (!opened || !title)
    return (
      <Trouble error={`There is no script “${title}”.`}>
        <button
          type="button"
          className="plain-button my-2"
          onClick={() => onState({ ...state, script: start.data.script, version: undefined, inputs: undefined })}
        >
          Open {start.data.script}
        </button>
      </Trouble>
    );
  return (
    <Bench
      {...props}
      title={title}
      script={script}
      opened={opened}
      defaults={start.data}
      scripts={scripts.data}
      markets={markets.data}
      accounts={accounts.data}
      catalogue={catalogue.data}
    />
  );
}
