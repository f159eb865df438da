import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Loading, Trouble } from "@/ui";
import { All } from "./All";
import { Begin } from "./Begin";
import type { PracticeProps, PracticeState } from "./model";
import { One } from "./One";
import { practicesQuery } from "./queries";

/** What an address says. */
const given = (state: PracticeState) =>
  Object.fromEntries(Object.entries(state).filter(([, value]) => value !== undefined)) as PracticeState;

/** Strategies that follow feeds: one in view, all of them, or one that is being begun. */
export function Practice(props: PracticeProps) {
  const { state, onState } = props;
  const lines = useQuery(practicesQuery);
  useEffect(() => {
    if (state.practice === undefined) document.title = "Practice · Skelb";
  }, [state.practice]);
  if (lines.error) return <Trouble error={lines.error.message} />;
  if (!lines.data) return <Loading what="Looking at the practices" />;
  if (state.begin || lines.data.length === 0)
    return (
      <Begin
        state={{ ...props.work, ...given(state) }}
        onState={onState}
        onBegun={(practice) => onState({ practice })}
        onAll={lines.data.length > 0 ? () => onState({ all: true }) : null}
      />
    );
  if (state.practice !== undefined)
    return <One key={state.practice} number={state.practice} market={state.market} lines={lines.data} {...props} />;
  return <All lines={lines.data} {...props} />;
}
