import { useQuery } from "@tanstack/react-query";
import { basketsQuery } from "@/api";
import { Picker, useKept } from "@/ui";
import { useDearest } from "../basket/dearest";
import type { DeskProps } from "../desk";
import { TrialHeader } from "../TrialHeader";
import { Challenge } from "./Challenge";
import type { Doubted } from "./queries";
import { Resampling } from "./Resampling";
import { Stress } from "./Stress";

/** One run doubted in every honest way: on its market, or on the markets of the basket together. */
export function Doubt({ head, of, state, setup, markets, figures, onState }: DeskProps) {
  const baskets = useQuery(basketsQuery);
  const [isBasket, setBasket] = useKept<boolean>(`${of} doubts its basket`, false);
  const [dearest] = useDearest(of);
  const chosen = state.markets ?? [];
  const kept = baskets.data?.find(({ markets }) => markets.join() === chosen.join());
  const doubted: Doubted =
    isBasket && chosen.length > 0 ? { setup, basket: chosen, dearest } : { setup, basket: [], dearest: null };
  const isTogether = doubted.basket.length > 0;
  const take = (value: string) => {
    const basket = baskets.data?.find(({ name }) => name === value.slice(1));
    setBasket(value !== "");
    if (basket) onState({ ...state, markets: basket.markets });
  };
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head}>
        Doubt {head.script} on{" "}
        <Picker
          label="What it is doubted on"
          value={!isTogether ? "" : kept ? `:${kept.name}` : "chosen"}
          options={[
            { value: "", label: "one market," },
            ...(chosen.length > 0 && !kept
              ? [{ value: "chosen", label: `the basket of ${chosen.length} markets` }]
              : []),
            ...(baskets.data ?? []).map(({ name }) => ({ value: `:${name}`, label: `the basket ${name}` })),
          ]}
          onChange={take}
        />{" "}
        {!isTogether && head.market} at {head.timeframe} {head.conditions}
        {isTogether && dearest !== null && `, where a trade costs at most ${dearest} % of a day's range`}
      </TrialHeader>
      <div className="min-h-0 flex-1 overflow-auto px-6 py-3">
        <Stress doubted={doubted} figures={figures} markets={markets} />
        <Resampling doubted={doubted} />
        <Challenge doubted={doubted} />
      </div>
    </section>
  );
}
