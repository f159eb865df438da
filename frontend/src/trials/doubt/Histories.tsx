import { isCancelledError, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { HistoryRules, Setup } from "@/api";
import { Loading, NumberField, Picker, plain, Trouble } from "@/ui";
import { DoneBar } from "../DoneBar";
import { Measures } from "./Measures";
import { historiesQuery } from "./queries";

const ORDERS = [
  { value: "kept", label: "when they did" },
  { value: "loose", label: "anywhere" },
];

/** The run on histories made from its market's own bars: what of it was the order in which its days came. */
export function Histories({ setup }: { setup: Setup }) {
  const [rules, setRules] = useState<HistoryRules>({
    histories: 200,
    days: 10,
    keeps_volatility: true,
    noise: 1,
    seed: 1,
  });
  const [asked, setAsked] = useState<{ setup: Setup; rules: HistoryRules } | null>(null);
  const isAsked = asked?.setup === setup && asked.rules === rules;
  const client = useQueryClient();
  const query = historiesQuery(setup, rules);
  const found = useQuery({ ...query, enabled: isAsked });
  const latest = found.data?.at(-1);
  const told = latest?.found;
  const stop = () => {
    setAsked(null);
    void client.cancelQueries({ queryKey: query.queryKey, exact: true });
  };
  const number = (key: "histories" | "days" | "seed" | "noise", label: string, least: number, most: number) => (
    <NumberField
      least={least}
      most={most}
      isWhole={key !== "noise"}
      className="picker w-16"
      label={label}
      value={rules[key]}
      onChange={(value) => setRules({ ...rules, [key]: value })}
    />
  );
  return (
    <section aria-label="Made histories" className="border-b border-line py-4">
      <h2 className="text-base">
        On {number("histories", "Histories", 1, 2_000)} histories made from its market&apos;s own bars: whole days drawn
        anew, {number("days", "Days that stay together", 1, 10_000)} together on average, wild and calm ones{" "}
        <Picker
          label="When wild and calm days come"
          value={rules.keeps_volatility ? "kept" : "loose"}
          options={ORDERS}
          onChange={(value) => setRules({ ...rules, keeps_volatility: value === "kept" })}
        />
        , every price off by up to {number("noise", "Ticks of noise", 0, 1_000)} ticks, seed{" "}
        {number("seed", "Seed of the histories", 1, 999_999)}{" "}
        {!told && !(isAsked && found.isFetching) && (
          <button type="button" className="plain-button" onClick={() => setAsked({ setup, rules })}>
            Make them
          </button>
        )}
      </h2>
      {isAsked && found.isFetching && !latest && <Loading what="Making the first" />}
      {isAsked && latest && !told && (
        <p role="status" className="my-2 flex max-w-2xl items-center gap-4 text-soft">
          <span className="num whitespace-nowrap">
            {plain(latest.done, 0)} of {plain(latest.total, 0)} histories
          </span>
          <DoneBar done={latest.done} total={latest.total} />
          <button type="button" className="plain-button" onClick={stop}>
            Stop
          </button>
        </p>
      )}
      {isAsked && found.error && !isCancelledError(found.error) && <Trouble error={found.error.message} />}
      {told && (
        <>
          <p className="my-2 text-sentence" data-testid="histories-verdict">
            {told.verdict}
          </p>
          <Measures found={told} of="of the histories" />
        </>
      )}
    </section>
  );
}
