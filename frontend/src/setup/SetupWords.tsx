import type { RefObject } from "react";
import type { InputInfo, Market, Setup, SetupState } from "@/api";
import { later, Picker, PopOver } from "@/ui";
import { costsInWords } from "./account";
import type { AccountProps } from "./AccountSheet";
import { daysOf } from "./model";
import { SpanPicker } from "./SpanPicker";
import { TimeframePicker } from "./TimeframePicker";

const AccountSheet = later(() => import("./AccountSheet").then((found) => found.AccountSheet));

type Put = (change: Partial<SetupState>) => void;

export function MarketWord({ setup, markets, onPut }: { setup: Setup; markets: Market[]; onPut: Put }) {
  return (
    <Picker
      label="Market"
      value={setup.market}
      options={markets.map((item) => ({ value: item.symbol, label: item.symbol }))}
      onChange={(market) => onPut({ market, from: undefined, to: undefined })}
    />
  );
}

export function TimeframeWord({ setup, onPut }: { setup: Setup; onPut: Put }) {
  return <TimeframePicker label="Timeframe" value={setup.timeframe} onChange={(timeframe) => onPut({ timeframe })} />;
}

export function SpanWord({ setup, markets, onPut }: { setup: Setup; markets: Market[]; onPut: Put }) {
  const { first, last } = daysOf(markets.find((item) => item.symbol === setup.market));
  return (
    <SpanPicker
      market={setup.market}
      first={first}
      last={last}
      from={setup.from_date ?? first}
      to={setup.to_date ?? last}
      onSpan={(from, to) => onPut({ from, to })}
    />
  );
}

/** The account, and whether it is as it is saved; it opens as a sheet of sentences. */
export function AccountWord({
  drop,
  buttonRef,
  ...props
}: AccountProps & { drop?: number; buttonRef?: RefObject<HTMLButtonElement | null> }) {
  const isChanged = Object.keys(props.setup.terms ?? {}).length > 0;
  const costs = costsInWords(props.setup.costs);
  return (
    <PopOver
      face={
        <>
          {props.setup.account}
          {isChanged && <span className="text-brass"> changed</span>}
          {costs && <span className="text-brass">, {costs}</span>}
        </>
      }
      title="What runs begin with and are charged"
      label={`Account: ${props.setup.account}${isChanged ? ", changed and not saved" : ""}${costs ? `, ${costs}` : ""}`}
      className="picker whitespace-nowrap"
      drop={drop}
      buttonRef={buttonRef}
    >
      {() => <AccountSheet {...props} />}
    </PopOver>
  );
}

export function SidesWord({ setup, onPut }: { setup: Setup; onPut: Put }) {
  return (
    <Picker
      label="Sides"
      value={setup.inverted ? "inverted" : (setup.sides ?? "both")}
      options={[
        { value: "both", label: "both sides" },
        { value: "long", label: "long only" },
        { value: "short", label: "short only" },
        { value: "inverted", label: "sides exchanged" },
      ]}
      onChange={(value) =>
        onPut({
          sides: value === "long" || value === "short" ? value : undefined,
          inverted: value === "inverted" || undefined,
        })
      }
    />
  );
}

export function inputText(input: { kind: InputInfo["kind"] } | undefined, value: number | boolean | string): string {
  if (typeof value === "boolean") return value ? "on" : "off";
  if (input?.kind === "time" && typeof value === "number")
    return `${String(Math.floor(value / 60)).padStart(2, "0")}:${String(value % 60).padStart(2, "0")}`;
  return String(value);
}

/** The value that one of an input's options stands for. */
export function optionValue(input: { kind: InputInfo["kind"] }, option: string): number | string {
  if (input.kind === "number") return Number(option);
  if (input.kind !== "time") return option;
  const [hours = 0, minutes = 0] = option.split(":").map(Number);
  return hours * 60 + minutes;
}

/** The inputs that are not at their defaults, each with the way back to it. */
export function InputsWord({ state, onPut, inputs = [] }: { state: SetupState; onPut: Put; inputs?: InputInfo[] }) {
  const given = Object.entries(state.inputs ?? {});
  if (given.length === 0) return null;
  const textOf = (name: string, value: number | boolean | string) =>
    inputText(
      inputs.find((item) => item.name === name),
      value,
    );
  const without = (name: string) => {
    const left = Object.fromEntries(given.filter(([other]) => other !== name));
    onPut({ inputs: Object.keys(left).length > 0 ? left : undefined });
  };
  return (
    <span data-testid="inputs-word">
      {" "}
      where{" "}
      {given.map(([name, value], place) => (
        <span key={name}>
          {place > 0 && ", "}
          <button
            type="button"
            className="num cursor-pointer border-b border-dotted border-soft text-body font-semibold text-base-content hover:line-through"
            title={`Put ${name} back to its default`}
            aria-label={`${name} is ${textOf(name, value)}; put it back to its default`}
            onClick={() => without(name)}
          >
            {name} is {textOf(name, value)}
          </button>
        </span>
      ))}
    </span>
  );
}
