import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, scriptsQuery, unwrap, type Script } from "@/api";
import { dateText, Loading, Picker, Trouble } from "@/ui";

const STATUSES = ["idea", "testing", "trusted"].map((value) => ({ value, label: value }));
const BLANK = `title "New idea"

input fast = 10 from 4 to 30 step 2
input slow = 40 from 20 to 100 step 5

quick = ema(close, fast)
calm  = ema(close, slow)

draw quick, calm

enter long  when quick crosses above calm
enter short when quick crosses below calm
stop 2 * atr(14)
size 50% of equity
`;

interface Opening {
  script: string;
  version?: number;
  market?: string;
  timeframe?: string;
}

/** Scripts with their versions. */
export function Shelf({ onOpen }: { onOpen: (what: Opening) => void }) {
  const scripts = useQuery(scriptsQuery);
  const client = useQueryClient();
  const fresh = useMutation({
    mutationFn: () => {
      const taken = new Set(scripts.data?.map((script) => script.title));
      let title = "New idea";
      for (let number = 2; taken.has(title); number++) title = `New idea ${number}`;
      return unwrap(api.POST("/api/scripts", { body: { text: BLANK.replace("New idea", title) } }));
    },
    onSuccess: (script) => {
      void client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
      onOpen({ script: script.title });
    },
  });
  return (
    <section className="flex h-full flex-col">
      <header className="flex h-[46px] flex-none items-center justify-between border-b border-line px-4">
        <h1 className="text-base">Shelf</h1>
        <button type="button" className="main-button" onClick={() => fresh.mutate()} disabled={fresh.isPending || !scripts.data}>
          New script
        </button>
      </header>
      {fresh.error && <Trouble error={fresh.error.message} />}
      {scripts.isPending && <Loading what="Reading the shelf" />}
      {scripts.error && <Trouble error={scripts.error.message} />}
      {scripts.data && (
        <div className="flex-1 overflow-auto">
          <table className="w-full text-left">
            <thead className="text-soft">
              <tr className="border-b border-line">
                <th className="px-4 py-2 font-normal">Script</th>
                <th className="px-2 font-normal">Status</th>
                <th className="px-2 font-normal">What it teaches</th>
                <th className="px-2 font-normal">Saved</th>
                <th className="px-4 font-normal">Versions</th>
              </tr>
            </thead>
            <tbody>
              {scripts.data.map((script) => (
                <ScriptRow key={script.title} script={script} onOpen={onOpen} />
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

function ScriptRow({ script, onOpen }: { script: Script; onOpen: (what: Opening) => void }) {
  const client = useQueryClient();
  const [showAll, setShowAll] = useState(false);
  const status = useMutation({
    mutationFn: (value: string) => unwrap(api.POST("/api/scripts/status", { body: { title: script.title, status: value } })),
    onSuccess: () => client.invalidateQueries({ queryKey: scriptsQuery.queryKey }),
  });
  const newest = script.versions[script.versions.length - 1];
  const home = script.home ?? undefined;
  const shown = [...script.versions].reverse().slice(0, showAll ? undefined : 4);
  return (
    <tr className="border-b border-line align-top hover:bg-base-100">
      <td className="px-4 py-2">
        <button type="button" className="cursor-pointer font-semibold text-long underline-offset-2 hover:underline" onClick={() => onOpen({ script: script.title, ...home })}>
          {script.title}
        </button>
      </td>
      <td className="px-2 py-2">
        <Picker label={`Status of ${script.title}`} value={script.status} options={STATUSES} onChange={(value) => status.mutate(value)} />
      </td>
      <td className="max-w-md px-2 py-2 text-soft">{script.lesson || "–"}</td>
      <td className="whitespace-nowrap px-2 py-2">{newest ? dateText(newest.created) : "–"}</td>
      <td className="px-4 py-2">
        {shown.map((version) => (
          <button
            key={version.number}
            type="button"
            className="num mr-2 cursor-pointer text-long hover:underline"
            aria-label={`Open v${version.number} of ${script.title}`}
            onClick={() => onOpen({ script: script.title, version: version.number, ...home })}
          >
            v{version.number}
          </button>
        ))}
        {script.versions.length > shown.length && (
          <button type="button" className="cursor-pointer text-soft hover:underline" onClick={() => setShowAll(true)}>
            {script.versions.length - shown.length} earlier
          </button>
        )}
      </td>
    </tr>
  );
}
