import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState, type ReactNode } from "react";
import {
  accountsQuery,
  api,
  unwrap,
  type Account,
  type AccountSettings,
  type Market,
  type Setup,
  type SetupState,
} from "@/api";
import { RemovalDialog, TakenAway } from "@/keeping";
import { NumberField, OptionalNumber, Picker, tellAll, Trouble } from "@/ui";
import { accountInShort, changedTerms, costsInWords, freeName, PLAIN, termsInWords, withTerms } from "./account";

export interface AccountProps {
  setup: Setup;
  accounts: Account[];
  onPut: (change: Partial<SetupState>) => void;
  markets: Market[];
  /** What the run in view says of its last trade's costs. */
  lastCosts?: string | null;
  /** Where size is said, one press away. */
  onSize?: () => void;
}

/** The account as sentences with fields: every change is tried at once, and stays a trial until it is saved. */
export function AccountSheet({ setup, accounts, markets, onPut, lastCosts, onSize }: AccountProps) {
  const saved = accounts.find((item) => item.name === setup.account)?.settings ?? PLAIN;
  const terms = setup.terms;
  const now = withTerms(saved, terms);
  const [about, setAbout] = useState<Field | null>(null);
  const put = <K extends keyof AccountSettings>(key: K, value: AccountSettings[K]) =>
    onPut({ terms: changedTerms(saved, terms, key, value) });
  const number = (key: NumberKey, bounds: { least?: number; most?: number; isWhole?: boolean } = {}) => (
    <Entry
      field={FIELDS[key]}
      value={now[key]}
      was={saved[key]}
      {...bounds}
      onAbout={setAbout}
      onChange={(value) => put(key, value)}
    />
  );
  const isChanged = Object.keys(terms ?? {}).length > 0;
  const currency = now.currency || "of its currency";
  return (
    <div
      className="flex max-h-[calc(100vh-120px)] w-[680px] max-w-[92vw] flex-wrap overflow-auto text-body"
      data-testid="account-sheet"
    >
      <div className="min-w-[320px] flex-1 px-4 py-3">
        <p className="text-sentence">
          <b>{setup.account}</b>{" "}
          <span className="text-brass" data-testid="terms">
            {isChanged && `${termsInWords(saved, terms)}, not saved`}
          </span>
        </p>
        <Line name="begins">
          It begins with {number("capital", { least: 0 })}{" "}
          <input
            className={`picker w-24 ${now.currency === saved.currency ? "" : "!text-brass"}`}
            aria-label="Currency, a word"
            placeholder="currency"
            maxLength={24}
            value={now.currency}
            onChange={(event) => put("currency", event.target.value)}
          />
          .
        </Line>
        <Line name="costs">
          A fill costs {number("commission_percent", { least: 0 })} % of its value,{" "}
          {number("commission_per_unit", { least: 0 })} a unit and {number("commission_per_order", { least: 0 })} an
          order, at least {number("commission_minimum", { least: 0 })}; market and stop fills slip{" "}
          {number("slippage_ticks", { least: 0 })} ticks.
          {ownCommission(setup, markets) && (
            <span className="block text-note leading-5 text-brass">
              {setup.market} charges a commission of its own instead: that of the account has no effect there.
            </span>
          )}
          {lastCosts && <span className="block text-note leading-5 text-soft">{lastCosts}</span>}
        </Line>
        <Line name="holds">
          It may hold {number("leverage", { least: 0.01 })} × its equity; an entry that does not fit is{" "}
          <Picker
            label="An entry that does not fit"
            value={now.short_of_margin}
            options={[
              { value: "cut", label: "cut" },
              { value: "skip", label: "left out" },
            ]}
            onChange={(value) => put("short_of_margin", value as AccountSettings["short_of_margin"])}
          />
          . At most{" "}
          <OptionalNumber
            whether="Most positions"
            none="any number of"
            some="so many:"
            label="How many positions"
            value={now.max_open_total ?? null}
            usual={1}
            least={1}
            className="field w-16 text-right"
            onChange={(value) => put("max_open_total", value)}
          />{" "}
          positions. It is closed out when equity falls to {number("stop_out", { least: 0 })} × the margin.
        </Line>
        <Line name="in a bar">
          Stop and target in one bar:{" "}
          <Picker
            label="Stop and target in one bar"
            value={now.same_bar}
            options={[
              { value: "worst", label: "the stop first" },
              { value: "path", label: "along the bar's likely path" },
              { value: "detail", label: "as the finer bars say" },
            ]}
            onChange={(value) => put("same_bar", value as AccountSettings["same_bar"])}
          />
          . Cash would earn {number("cash_rate", { least: -99, most: 999 })} % a year elsewhere.
        </Line>
        <Line name="look">
          {[0, 2].map((times) => (
            <button
              key={times}
              type="button"
              aria-pressed={setup.costs === times}
              className={`mr-3 cursor-pointer border-b border-dotted ${setup.costs === times ? "font-semibold text-brass" : "text-long"}`}
              onClick={() => onPut({ costs: setup.costs === times ? undefined : times })}
            >
              {costsInWords(times)}
            </button>
          ))}
          <span className="block text-note leading-5 text-soft">
            of the account and the market together; never saved with it
          </span>
        </Line>
        <p className="min-h-[36px] pt-1 text-note text-soft" role="note" data-testid="about-field">
          {about
            ? `${about.name}: ${about.about(currency)}`
            : "Each field is explained here. How much a trade is, is said by the script: size."}{" "}
          {onSize && !about && (
            <button type="button" className="cursor-pointer text-long underline" onClick={onSize}>
              To its rules
            </button>
          )}
        </p>
        <Keeping setup={setup} accounts={accounts} now={now} isChanged={isChanged} onPut={onPut} />
      </div>
      <Others setup={setup} accounts={accounts} onPut={onPut} />
    </div>
  );
}

/** Whether a market charges its own commission, in place of the account's. */
function ownCommission(setup: Setup, markets: Market[]): boolean {
  const market = markets.find((item) => item.symbol === setup.market);
  return market?.settings.commission !== null && market?.settings.commission !== undefined;
}

interface Field {
  name: string;
  about: (currency: string) => string;
}
type NumberKey = {
  [K in keyof AccountSettings]-?: AccountSettings[K] extends number ? K : never;
}[keyof AccountSettings];

const FIELDS: Record<NumberKey, Field> = {
  capital: { name: "Capital", about: (word) => `what it has before the first trade, ${word}` },
  commission_percent: { name: "Commission in percent", about: () => "of the value of each fill, when a position is opened and when it is closed" },
  commission_per_unit: { name: "Commission a unit", about: (word) => `${word}, for each unit of a fill` },
  commission_per_order: { name: "Commission an order", about: (word) => `${word}, for each fill whatever its size` },
  commission_minimum: { name: "Least commission", about: (word) => `${word}: a fill that would cost less costs this` },
  slippage_ticks: { name: "Slippage", about: () => "ticks of the market by which market and stop fills are worse; limits and targets do not slip" },
  leverage: { name: "Leverage", about: () => "how many times its equity all positions together may be worth" },
  stop_out: { name: "Stop-out", about: () => "a share of the margin: at or below it at a close everything is closed, and the run ends" },
  cash_rate: { name: "Cash elsewhere", about: () => "what lent cash would have earned, percent a year: Sharpe, Sortino and alpha are of what is earned beyond it" },
}; // prettier-ignore

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div className="flex border-t border-line py-1 leading-[30px]">
      <span className="w-16 flex-none text-note text-soft italic">{name}</span>
      <div className="text-soft">{children}</div>
    </div>
  );
}

interface EntryProps {
  field: Field;
  value: number;
  was: number;
  least?: number;
  most?: number;
  onAbout: (field: Field | null) => void;
  onChange: (value: number) => void;
}

/** A number of the account; what is not as it is saved is brass, with what it was. */
function Entry({ field, value, was, least, most, onAbout, onChange }: EntryProps) {
  return (
    <span className="whitespace-nowrap" onFocus={() => onAbout(field)} onBlur={() => onAbout(null)}>
      <NumberField
        label={field.name}
        value={value}
        least={least}
        most={most}
        isWhole={false}
        className={`field w-[5.5em] text-right ${value === was ? "text-base-content" : "!border-brass font-semibold text-brass"}`}
        onChange={onChange}
      />
      {value !== was && <span className="num text-small text-brass"> was {was}</span>}
    </span>
  );
}

type Naming = "save as" | "rename";

/** Saving under its name or another, taking back, renaming, deleting. */
function Keeping({
  setup,
  accounts,
  now,
  isChanged,
  onPut,
}: Pick<AccountProps, "setup" | "accounts" | "onPut"> & { now: AccountSettings; isChanged: boolean }) {
  const client = useQueryClient();
  const names = accounts.map((item) => item.name);
  const [naming, setNaming] = useState<Naming | null>(null);
  const [name, setName] = useState("");
  const [isLeaving, setLeaving] = useState(false);
  const id = useId();
  const done = (all: Account[], called: string, said: string) => {
    client.setQueryData(accountsQuery.queryKey, all);
    setNaming(null);
    tellAll(said);
    onPut({ account: called, terms: undefined });
  };
  const save = useMutation({
    mutationFn: (called: string) => unwrap(api.PUT("/api/accounts", { body: { name: called, settings: now } })),
    onSuccess: (all, called) => done(all, called.trim(), `${called.trim()} is saved.`),
  });
  const rename = useMutation({
    mutationFn: (to: string) => unwrap(api.POST("/api/accounts/rename", { body: { name: setup.account, to } })),
    onSuccess: (all, to) => done(all, to.trim(), `${setup.account} is called ${to.trim()} now.`),
  });
  const wanted = name.trim();
  const isTaken = names.includes(wanted);
  const begin = (what: Naming) => {
    setNaming(what);
    setName(what === "rename" ? setup.account : freeName(setup.account, names));
  };
  const error = save.error ?? rename.error;
  return (
    <div className="border-t border-line pt-2">
      {naming === null ? (
        <p className="flex flex-wrap items-center gap-2">
          <button
            type="button"
            className="main-button"
            aria-disabled={!isChanged}
            onClick={() => isChanged && save.mutate(setup.account)}
          >
            Save
          </button>
          <button type="button" className="plain-button" onClick={() => begin("save as")}>
            Save as…
          </button>
          <button
            type="button"
            className="plain-button"
            aria-disabled={!isChanged}
            onClick={() => isChanged && onPut({ terms: undefined })}
          >
            Take back
          </button>
          <span className="ml-auto flex gap-3 text-note">
            <button type="button" className="cursor-pointer text-long hover:underline" onClick={() => begin("rename")}>
              rename
            </button>
            <button
              type="button"
              className="cursor-pointer text-loss hover:underline"
              aria-disabled={names.length < 2}
              title={names.length < 2 ? "One account stays" : undefined}
              onClick={() => names.length > 1 && setLeaving(true)}
            >
              delete
            </button>
          </span>
        </p>
      ) : (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (wanted === "" || isTaken) return;
            (naming === "rename" ? rename : save).mutate(wanted);
          }}
        >
          <label htmlFor={id} className="text-soft">
            {naming === "rename" ? "called" : "saved as"}
          </label>
          <input
            id={id}
            autoFocus
            className="field min-w-0 flex-1"
            maxLength={80}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button type="submit" className="main-button" aria-disabled={wanted === "" || isTaken}>
            {naming === "rename" ? "Rename" : "Save it"}
          </button>
          <button type="button" className="plain-button" onClick={() => setNaming(null)}>
            Leave it
          </button>
          {isTaken && <p className="w-full text-note text-loss">There is an account of that name already.</p>}
        </form>
      )}
      {error && <Trouble error={error.message} />}
      <TakenAway kind="account" />
      {isLeaving && (
        <RemovalDialog
          what={{ kind: "account", name: setup.account, called: setup.account }}
          onClose={() => setLeaving(false)}
          onGone={() => onPut({ account: names.find((other) => other !== setup.account), terms: undefined })}
        />
      )}
    </div>
  );
}

/** The other accounts, one press away each. */
function Others({ setup, accounts, onPut }: Pick<AccountProps, "setup" | "accounts" | "onPut">) {
  return (
    <div className="w-52 flex-none border-l border-line bg-base-200 px-3 py-3 text-note">
      <p className="text-soft italic">accounts</p>
      <ul aria-label="Accounts">
        {accounts.map(({ name, settings }) => (
          <li key={name} className="border-b border-line last:border-b-0">
            <button
              type="button"
              aria-pressed={name === setup.account}
              className={`block w-full cursor-pointer px-2 py-1 text-left hover:bg-shallow ${name === setup.account ? "bg-shallow" : ""}`}
              onClick={() => onPut({ account: name, terms: undefined })}
            >
              <span className="font-semibold">{name}</span>
              <span className="block text-soft">{accountInShort(settings)}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
