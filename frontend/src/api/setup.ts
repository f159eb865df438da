import type { Setup } from "./client";

/** What the address holds of a setup; what is left out comes from the start. */
export interface SetupState {
  script?: string;
  version?: number;
  market?: string;
  timeframe?: string;
  from?: string;
  to?: string;
  account?: string;
  sides?: "long" | "short";
  inverted?: boolean;
  inputs?: Record<string, number | boolean | string>;
  /** Changes of the account that are not saved, by key of its JSON. */
  terms?: Record<string, number | string | null>;
  /** How many times the costs, of account and market. */
  costs?: number;
  pinned?: number;
  /** The kept run that this is being changed from. */
  origin?: number;
}

/** What the address holds of a basket, beside a setup. */
export interface BasketState {
  /** Its markets, and the most a trade may cost of a day's range, percent, for one to be run. */
  markets?: string[];
  dearest?: number;
  /** Whether it is the basket that is meant instead of the one market. */
  together?: boolean;
}

/** A setup of several markets that share the account. */
export const withBasket = (setup: Setup, { markets, dearest }: BasketState): Setup => ({
  ...setup,
  basket: markets ?? [],
  dearest: dearest ?? null,
});

export const isTogether = (setup: { basket?: string[] }) => (setup.basket?.length ?? 0) > 0;

/** What a setup has when the address does not say. */
export interface SetupDefaults {
  market: string;
  timeframe: string;
  account: string;
}

/** What a setup runs on, in words. */
export const placeOf = ({ market, basket }: Setup) =>
  basket && isTogether({ basket }) ? `a basket of ${basket.length} markets` : market;

/** The setup that an address means, with a text. */
export function setupOf(state: SetupState, defaults: SetupDefaults, text: string): Setup {
  return {
    text,
    market: state.market ?? defaults.market,
    timeframe: state.timeframe ?? defaults.timeframe,
    from_date: state.from ?? null,
    to_date: state.to ?? null,
    account: state.account ?? defaults.account,
    inputs: state.inputs ?? {},
    sides: state.sides ?? "both",
    inverted: state.inverted ?? false,
    terms: state.terms ?? {},
    costs: state.costs ?? 1,
    described: {},
    basket: [],
    dearest: null,
    each: {},
  };
}

/** The address of a kept run's setup, opened to be changed; of the account only what is not as it is stored. */
export function stateOf(
  setup: Setup,
  script: { title: string; version: number | undefined },
  account: Record<string, unknown> | undefined,
): SetupState {
  const terms = Object.fromEntries(
    Object.entries(setup.terms ?? {}).filter(([key, value]) => !account || account[key] !== value),
  ) as SetupState["terms"];
  return {
    script: script.title,
    version: script.version,
    market: setup.market,
    timeframe: setup.timeframe,
    from: setup.from_date ?? undefined,
    to: setup.to_date ?? undefined,
    account: setup.account,
    sides: setup.sides === "both" ? undefined : setup.sides,
    inverted: setup.inverted || undefined,
    inputs: Object.keys(setup.inputs ?? {}).length > 0 ? setup.inputs : undefined,
    terms: Object.keys(terms ?? {}).length > 0 ? terms : undefined,
    costs: setup.costs === 1 ? undefined : setup.costs,
  };
}
