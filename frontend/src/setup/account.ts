import type { AccountSettings, SetupState } from "@/api";

/** An account that says nothing of itself. */
export const PLAIN: AccountSettings = {
  currency: "", capital: 10_000, commission_percent: 0, commission_per_unit: 0, commission_per_order: 0,
  commission_minimum: 0, slippage_ticks: 0, leverage: 1, same_bar: "worst", short_of_margin: "cut", stop_out: 0,
  max_open_total: null, cash_rate: 0,
}; // prettier-ignore

type Key = keyof AccountSettings;
export type Terms = NonNullable<SetupState["terms"]>;

/** The account of a setup: as it is saved, with the changes that are not. */
export function withTerms(saved: AccountSettings | undefined, terms: Terms | undefined): AccountSettings {
  return { ...(saved ?? PLAIN), ...terms };
}

/** The changes of an account with one more; what is as it is saved is none. */
export function changedTerms<K extends Key>(
  saved: AccountSettings,
  terms: Terms | undefined,
  key: K,
  value: AccountSettings[K],
): Terms | undefined {
  const others = Object.entries(terms ?? {}).filter(([name]) => name !== key);
  const next = value === saved[key] ? others : [...others, [key, value] as const];
  return next.length > 0 ? Object.fromEntries<Terms[string]>(next as [string, Terms[string]][]) : undefined;
}

const WORDS: Record<Key, string> = {
  currency: "currency",
  capital: "begins with",
  commission_percent: "% of a fill's value",
  commission_per_unit: "a unit",
  commission_per_order: "an order",
  commission_minimum: "at least",
  slippage_ticks: "ticks of slippage",
  leverage: "times its equity",
  same_bar: "in one bar",
  short_of_margin: "an entry that does not fit",
  stop_out: "stop-out",
  max_open_total: "most positions",
  cash_rate: "% a year elsewhere",
};

const said = (value: string | number | null | undefined) =>
  value === null || value === undefined || value === "" ? "none" : String(value);

/** What is changed of an account, in words: "0.005 → 0.05 % of a fill's value". */
export function termsInWords(saved: AccountSettings, terms: Terms | undefined): string {
  return Object.entries(terms ?? {})
    .map(([key, value]) => `${said(saved[key as Key])} → ${said(value)} ${WORDS[key as Key] ?? key}`)
    .join(", ");
}

/** An account in a line, for a list of them. */
export function accountInShort(account: AccountSettings): string {
  const told = [`begins with ${account.capital.toLocaleString("en-GB")} ${account.currency}`.trim()];
  if (account.commission_percent) told.push(`${account.commission_percent} %`);
  if (account.commission_per_unit) told.push(`${account.commission_per_unit} a unit`);
  if (account.commission_per_order) told.push(`${account.commission_per_order} an order`);
  if (account.slippage_ticks) told.push(`slips ${account.slippage_ticks}`);
  if (account.leverage !== 1) told.push(`holds ${account.leverage} ×`);
  const isFree = told.length === 1 || (told.length === 2 && account.leverage !== 1);
  return `${told.join("; ")}${isFree ? "; no costs" : ""}`;
}

/** How costs are taken, besides as they are. */
export function costsInWords(costs: number | undefined): string {
  if (costs === undefined || costs === 1) return "";
  return costs === 0 ? "without costs" : `costs × ${costs}`;
}

/** A name that no account has yet. */
export function freeName(wanted: string, taken: string[]): string {
  for (let number = 1; ; number++) {
    const name = number === 1 ? wanted : `${wanted} ${number}`;
    if (!taken.includes(name)) return name;
  }
}
