import { useQuery } from "@tanstack/react-query";
import { basketsQuery, isTogether, type BasketState, type Market, type Setup, type SetupState } from "@/api";
import { Picker } from "@/ui";
import { MarketWord } from "./SetupWords";

interface Props {
  setup: Setup;
  state: BasketState;
  markets: Market[];
  onPut: (change: Partial<SetupState & BasketState>) => void;
}

/** What a strategy runs on: one market, or the markets of a basket together. */
export function OnWord({ setup, state, markets, onPut }: Props) {
  const baskets = useQuery(basketsQuery).data ?? [];
  const ofBasket = isTogether(setup);
  const chosen = state.markets ?? [];
  const kept = baskets.find((basket) => basket.markets.join() === chosen.join());
  const take = (value: string) => {
    const basket = baskets.find(({ name }) => value === `:${name}`);
    onPut({ together: value !== "" || undefined, ...(basket ? { markets: basket.markets } : {}) });
  };
  return (
    <>
      <Picker
        label="One market or a basket"
        value={!ofBasket ? "" : kept ? `:${kept.name}` : "chosen"}
        options={[
          { value: "", label: "the market" },
          ...(chosen.length > 0 && !kept ? [{ value: "chosen", label: `the basket of ${chosen.length} markets` }] : []),
          ...baskets.map(({ name }) => ({ value: `:${name}`, label: `the basket ${name}` })),
        ]}
        onChange={take}
      />{" "}
      {!ofBasket && <MarketWord setup={setup} markets={markets} onPut={onPut} />}
      {ofBasket && setup.dearest != null && `where a trade costs at most ${setup.dearest} % of a day's range`}
    </>
  );
}
