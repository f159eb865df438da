import { useState, type ReactNode } from "react";
import type { Market } from "@/api";
import { NumberField, OptionalNumber, Picker } from "@/ui";
import type { Settings } from "./description";
import { HourColumns } from "./HourColumns";

export type Put = <K extends keyof Settings>(key: K, value: Settings[K]) => void;
type NumberKey =
  "tick" | "point_value" | "lot_step" | "min_lot" | "spread" | "financing_long" | "financing_short" | "currency_rate";

interface DescriptionProps {
  now: Settings;
  stored: Settings;
  markets: Market[];
  put: Put;
}

/** The description as sentences with fields; what differs from what is stored stands in brass. */
export function DescriptionForm({ now, stored, markets, put }: DescriptionProps) {
  const number = (key: NumberKey, label: string, least = 0) => (
    <NumberField
      label={label}
      value={Number(now[key])}
      least={least}
      isWhole={false}
      className={`field w-24 text-right ${now[key] === stored[key] ? "" : "!border-brass text-brass"}`}
      onChange={(value) => put(key, value)}
    />
  );
  const word = (key: "zone" | "session" | "days", label: string, width: string) => (
    <TextField
      label={label}
      width={width}
      value={now[key]}
      isOther={now[key] !== stored[key]}
      onTake={(text) => put(key, text)}
    />
  );
  const hours = now.spread_by_hour ?? null;
  const unit = { price: "points", ticks: "ticks", percent: "% of price" }[now.spread_unit];
  const own = now.commission ?? null;
  const rate = now.currency_rate;
  return (
    <>
      <Part name="Price" about="The least step of its price; a pip where people count in them.">
        A tick is {number("tick", "Tick", 1e-10)} points; a pip{" "}
        <OptionalNumber
          whether="Whether there is a pip"
          none="there is none"
          some="is"
          label="Pip"
          value={now.pip ?? null}
          usual={now.tick * 10}
          least={1e-10}
          isWhole={false}
          className="field w-24 text-right"
          onChange={(pip) => put("pip", pip)}
        />
        .
      </Part>
      <Part name="Contract" about="What a move of one point earns a unit, and in which steps units are traded.">
        A point is worth {number("point_value", "Value of a point", 1e-10)} a unit. Lots go in steps of{" "}
        {number("lot_step", "Lot step", 1e-10)} from {number("min_lot", "Least lot", 1e-10)} upwards. Counted at a rate
        of {typeof rate === "number" ? number("currency_rate", "Currency rate", 1e-10) : <b>{String(rate)}</b>}{" "}
        <Picker
          label="Where the rate comes from"
          value={typeof rate === "number" ? "" : String(rate)}
          options={[
            { value: "", label: "a number" },
            ...markets.map((item) => ({ value: item.symbol, label: `the close of ${item.symbol}` })),
          ]}
          onChange={(symbol) => put("currency_rate", symbol === "" ? 1 : symbol)}
        />
        .
      </Part>
      <Part
        name="Hours"
        about="Bars outside the session are not used; a trading day and its midnight are those of the zone."
      >
        Clocks are those of {word("zone", "Zone", "w-40")}. Open {word("session", "Session", "w-60")} on{" "}
        {word("days", "Days", "w-28")}.
      </Part>
      <Part
        name="Costs"
        about="The spread is paid once a round trip. A column of the bars that is called spread goes before both."
      >
        The spread is {hours === null ? number("spread", "Spread") : "drawn by the hour,"}{" "}
        <Picker
          label="Unit of the spread"
          value={now.spread_unit}
          options={[
            { value: "price", label: "points" },
            { value: "ticks", label: "ticks" },
            { value: "percent", label: "% of price" },
          ]}
          onChange={(value) => put("spread_unit", value as Settings["spread_unit"])}
        />
        ,{" "}
        <Picker
          label="Spread at different hours"
          value={hours === null ? "same" : "hours"}
          options={[
            { value: "same", label: "the same at every hour" },
            { value: "hours", label: "by the hour" },
          ]}
          onChange={(value) =>
            put("spread_by_hour", value === "same" ? null : Array.from({ length: 24 }, () => now.spread))
          }
        />
        . Prices are{" "}
        <Picker
          label="What prices are"
          value={now.quotes}
          options={[
            { value: "mid", label: "in the middle of it" },
            { value: "bid", label: "bids" },
          ]}
          onChange={(value) => put("quotes", value as Settings["quotes"])}
        />
        .
        {hours !== null && (
          <HourColumns
            hours={hours}
            stored={stored.spread_by_hour ?? hours.map(() => stored.spread)}
            unit={unit}
            onChange={(drawn) => put("spread_by_hour", drawn)}
          />
        )}
      </Part>
      <Part
        name="Held over night"
        about="Percent a year of a position's value, for each night; what is below nothing is paid to you."
      >
        A long pays {number("financing_long", "Nights long", -1000)} % a year, a short{" "}
        {number("financing_short", "Nights short", -1000)} %, three nights at once on{" "}
        <Picker
          label="Three nights at once"
          value={now.triple_day ?? ""}
          options={["", "mon", "tue", "wed", "thu", "fri", "sat", "sun"].map((day) => ({
            value: day,
            label: day || "no day",
          }))}
          onChange={(day) => put("triple_day", day || null)}
        />
        .
      </Part>
      <Part name="Commission" about="Its own takes the place of the account's, on every fill.">
        <Picker
          label="Whose commission"
          value={own === null ? "account" : "own"}
          options={[
            { value: "account", label: "That of the account." },
            { value: "own", label: "Its own:" },
          ]}
          onChange={(value) =>
            put("commission", value === "account" ? null : { percent: 0, per_unit: 0, per_order: 0, minimum: 0 })
          }
        />{" "}
        {own !== null &&
          (
            [
              ["percent", "% of the value,"],
              ["per_unit", "a unit,"],
              ["per_order", "an order, at least"],
              ["minimum", "a fill."],
            ] as const
          ).map(([key, after]) => (
            <span key={key} className="whitespace-nowrap">
              <NumberField
                label={`Own commission ${key.replace("_", " ")}`}
                value={own[key] ?? 0}
                least={0}
                isWhole={false}
                className="field w-16 text-right"
                onChange={(value) => put("commission", { ...own, [key]: value })}
              />{" "}
              {after}{" "}
            </span>
          ))}
      </Part>
    </>
  );
}

function Part({ name, about, children }: { name: string; about: string; children: ReactNode }) {
  return (
    <section aria-label={name} className="border-b border-line py-3 leading-8 text-soft last:border-b-0">
      <h2 className="leading-5 text-base-content">{name}</h2>
      <div>{children}</div>
      <p className="text-note leading-4">{about}</p>
    </section>
  );
}

/** A word that counts when it is left, or on Enter: half of it would be wrong. */
function TextField(props: {
  label: string;
  width: string;
  value: string;
  isOther: boolean;
  onTake: (text: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    if (typed !== null && typed.trim() !== "" && typed.trim() !== props.value) props.onTake(typed.trim());
    setTyped(null);
  };
  return (
    <input
      aria-label={props.label}
      className={`field num ${props.width} ${props.isOther ? "!border-brass text-brass" : ""}`}
      value={typed ?? props.value}
      onChange={(event) => setTyped(event.target.value)}
      onKeyDown={(event) => event.key === "Enter" && take()}
      onBlur={take}
    />
  );
}
