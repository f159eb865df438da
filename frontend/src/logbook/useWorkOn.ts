import { useMutation, useQueryClient } from "@tanstack/react-query";
import {
  accountsQuery,
  api,
  keptRunQuery,
  scriptsQuery,
  stateOf,
  unwrap,
  type Script,
  type Setup,
  type SetupState,
} from "@/api";

interface Wanted {
  title: string;
  /** A kept run, or the setup of one that was looked at. */
  number?: number;
  setup?: Setup;
}

/** Open a run's setup to be changed: a text that is no saved version becomes one first, so that nothing is lost. */
export function useWorkOn(onWork: (state: SetupState) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ number, setup, title }: Wanted) => {
      const found = setup ?? (await client.fetchQuery(keptRunQuery(number!))).setup;
      const scripts = await client.fetchQuery(scriptsQuery);
      const accounts = await client.fetchQuery(accountsQuery);
      const versionOf = (script: Script | undefined) =>
        [...(script?.versions ?? [])].reverse().find((item) => item.text === found.text)?.number;
      let version = versionOf(scripts.find((item) => item.title === title));
      if (version === undefined) {
        const saved = await unwrap(api.POST("/api/scripts", { body: { text: found.text } }));
        await client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
        version = versionOf(saved);
      }
      const account = accounts.find((item) => item.name === found.account)?.settings;
      return { ...stateOf(found, { title, version }, account), origin: number };
    },
    onSuccess: onWork,
  });
}
