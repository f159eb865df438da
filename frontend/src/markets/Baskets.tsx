import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, basketsQuery, unwrap, type KeptBasket, type Market } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { tellAll, Trouble } from "@/ui";

/** Markets that are run together, under a name: made, changed and taken away here, taken up wherever markets are
 * chosen. */
export function Baskets({ markets }: { markets: Market[] }) {
  const baskets = useQuery(basketsQuery);
  const [open, setOpen] = useState<KeptBasket | null>(null);
  const [leaving, setLeaving] = useState<Removed | null>(null);
  return (
    <section className="px-4 py-3" aria-label="Baskets">
      <header className="flex items-baseline gap-3">
        <h2>Baskets</h2>
        <span className="text-note text-soft">Markets that are run together on one account, by name.</span>
        <button
          type="button"
          className="plain-button ml-auto !py-0"
          onClick={() => setOpen({ name: "", markets: [] })}
          disabled={open !== null}
        >
          New basket
        </button>
      </header>
      {baskets.error && <Trouble error={baskets.error.message} />}
      {open && <BasketForm basket={open} markets={markets} onClose={() => setOpen(null)} />}
      <TakenAway kind="basket" />
      <ul>
        {baskets.data?.map((basket) => (
          <li
            key={basket.name}
            className="flex items-baseline gap-3 border-b border-line py-1"
            data-basket={basket.name}
          >
            <b className="w-44 flex-none break-words">{basket.name}</b>
            <span className="num flex-1 text-note">{basket.markets.join(", ")}</span>
            <button
              type="button"
              className="cursor-pointer text-long hover:underline"
              aria-label={`Change ${basket.name}`}
              onClick={() => setOpen(basket)}
            >
              change
            </button>
            <button
              type="button"
              className="cursor-pointer text-soft hover:underline"
              aria-label={`Delete ${basket.name}`}
              onClick={() => setLeaving({ kind: "basket", name: basket.name, called: basket.name })}
            >
              delete
            </button>
          </li>
        ))}
      </ul>
      {leaving && <RemovalDialog what={leaving} onClose={() => setLeaving(null)} />}
    </section>
  );
}

/** A basket's name and markets. Under another name the one that was opened is called otherwise. */
function BasketForm({ basket, markets, onClose }: { basket: KeptBasket; markets: Market[]; onClose: () => void }) {
  const client = useQueryClient();
  const [name, setName] = useState(basket.name);
  const [chosen, setChosen] = useState(basket.markets);
  const save = useMutation({
    mutationFn: async () => {
      if (basket.name && name.trim() !== basket.name)
        await unwrap(api.POST("/api/baskets/rename", { body: { name: basket.name, to: name } }));
      return unwrap(api.PUT("/api/baskets", { body: { name, markets: chosen } }));
    },
    onSuccess: (all) => {
      client.setQueryData(basketsQuery.queryKey, all);
      tellAll(`The basket ${name} is saved.`);
      onClose();
    },
  });
  const offered = [...new Set([...markets.map((market) => market.symbol), ...basket.markets])];
  const canSave = name.trim() !== "" && chosen.length > 0 && !save.isPending;
  return (
    <form
      className="my-2 border-l-2 border-brass pl-3"
      aria-label={basket.name ? `The basket ${basket.name}` : "A new basket"}
      onSubmit={(event) => {
        event.preventDefault();
        if (canSave) save.mutate();
      }}
      onKeyDown={(event) => event.key === "Escape" && onClose()}
    >
      <label className="flex items-baseline gap-2">
        The basket
        <input
          className="field w-60"
          aria-label="Name of the basket"
          maxLength={80}
          autoFocus
          value={name}
          onChange={(event) => {
            save.reset();
            setName(event.target.value);
          }}
        />
        holds
      </label>
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
        {offered.map((symbol) => (
          <label key={symbol} className="num flex cursor-pointer items-baseline gap-1 text-note">
            <input
              type="checkbox"
              className="accent-base-content"
              checked={chosen.includes(symbol)}
              onChange={() => {
                save.reset();
                setChosen(chosen.includes(symbol) ? chosen.filter((other) => other !== symbol) : [...chosen, symbol]);
              }}
            />
            {symbol}
          </label>
        ))}
      </p>
      {save.error && <Trouble error={save.error.message} />}
      <p className="mt-2 flex items-center gap-2">
        <button type="submit" className="main-button" aria-disabled={!canSave}>
          Save
        </button>
        <button type="button" className="plain-button" onClick={onClose}>
          Cancel
        </button>
        <span className="text-note text-soft">
          {chosen.length === 0 ? "It holds no market yet." : `${chosen.length} markets`}
        </span>
      </p>
    </form>
  );
}
