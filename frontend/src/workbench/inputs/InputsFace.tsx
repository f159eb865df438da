import { useState, type ReactNode } from "react";
import type { AskOnce, FigureInfo, InputInfo, Setup, SetupState } from "@/api";
import { inputText, optionValue, TimeframePicker } from "@/setup";
import { NumberField, Picker } from "@/ui";
import { sliderRange } from "../model";
import { Curve } from "./Curve";
import { useCurves } from "./useCurves";

type Value = number | boolean | string;

interface Props {
  inputs: InputInfo[];
  given: SetupState["inputs"];
  /** The setup that curves are worked out for; null while there is nothing to run. */
  setup: Setup | null;
  figures: FigureInfo[];
  /** Symbols that an input of a market can be. */
  markets: string[];
  ask: AskOnce;
  /** Sweep this one input. */
  onSweep: (input: InputInfo) => void;
  onChange: (input: InputInfo, value: Value) => void;
  onReset: () => void;
}

/** Every input as a slider, switch or choice; the run follows while it is dragged. */
export function InputsFace({ inputs, given, setup, figures, markets, ask, onSweep, onChange, onReset }: Props) {
  const [of, setOf] = useState("return_over_drawdown");
  const { curves, failed } = useCurves(setup, inputs, ask);
  const figure = figures.find((item) => item.key === of);
  if (inputs.length === 0)
    return <p className="p-4 text-soft">This script has no inputs. Write one as `input fast = 12 from 4 to 40`.</p>;
  return (
    <div className="px-4 py-2">
      <p className="flex items-baseline gap-1 pb-1 text-note text-soft">
        under each number its curve of
        <Picker
          label="Figure of the curves"
          value={of}
          options={figures.map((item) => ({
            value: item.key,
            label: item.name === "Max drawdown" && item.unit === "percent" ? "Max drawdown, %" : item.name,
          }))}
          onChange={setOf}
        />
      </p>
      {failed && <p className="text-note text-loss">The curves could not be worked out: {failed}</p>}
      {inputs.map((input) => (
        <InputRow
          key={input.name}
          input={input}
          value={given?.[input.name] ?? input.default}
          markets={markets}
          curve={
            figure && setup ? (
              <Curve
                points={curves[input.name] ?? []}
                input={input}
                value={given?.[input.name] ?? input.default}
                figure={figure}
                onSweep={() => onSweep(input)}
                onTake={(value) => onChange(input, value)}
              />
            ) : null
          }
          onChange={(value) => onChange(input, value)}
        />
      ))}
      <button type="button" className="plain-button mt-3" disabled={!given} onClick={onReset}>
        Reset all to the script's defaults
      </button>
    </div>
  );
}

function InputRow({
  input,
  value,
  markets,
  curve,
  onChange,
}: {
  input: InputInfo;
  value: Value;
  markets: string[];
  curve: ReactNode;
  onChange: (value: Value) => void;
}) {
  const isChanged = value !== input.default;
  const isTyped = input.kind === "number" && input.options.length === 0;
  const id = `input-${input.name}`;
  return (
    <div className="border-b border-line py-2" onDoubleClick={() => onChange(input.default)}>
      <div className="flex flex-wrap items-baseline gap-x-2">
        <label htmlFor={id} className="num font-semibold break-all">
          {input.name}
        </label>
        <span className="min-w-0 flex-1 text-soft">{input.label}</span>
        <span className="num ml-auto">{isTyped ? null : inputText(input, value)}</span>
        {isTyped && (
          <NumberField
            label={`${input.name}, typed`}
            isWhole={false}
            step={sliderRange(input).step}
            className="field w-20 text-right"
            value={Number(value)}
            onChange={onChange}
          />
        )}
      </div>
      <Control id={id} input={input} value={value} markets={markets} onChange={onChange} />
      {curve}
      {isChanged && (
        <button
          type="button"
          className="cursor-pointer text-note text-brass hover:underline"
          onClick={() => onChange(input.default)}
        >
          back to {inputText(input, input.default)}
        </button>
      )}
    </div>
  );
}

function Control({
  id,
  input,
  value,
  markets,
  onChange,
}: {
  id: string;
  input: InputInfo;
  value: Value;
  markets: string[];
  onChange: (value: Value) => void;
}) {
  if (input.kind === "switch")
    return (
      <input
        id={id}
        type="checkbox"
        className="toggle toggle-sm"
        checked={Boolean(value)}
        onChange={(event) => onChange(event.target.checked)}
      />
    );
  if (input.options.length > 0)
    return (
      <select
        id={id}
        className="field"
        value={inputText(input, value)}
        onChange={(event) => onChange(optionValue(input, event.target.value))}
      >
        {input.options.map((option) => (
          <option key={option}>{option}</option>
        ))}
      </select>
    );
  if (input.kind === "time")
    return (
      <input
        id={id}
        type="time"
        className="field"
        value={inputText(input, value)}
        onChange={(event) => {
          const [hours, minutes] = event.target.value.split(":").map(Number);
          if (hours !== undefined && minutes !== undefined) onChange(hours * 60 + minutes);
        }}
      />
    );
  if (input.kind === "timeframe")
    return <TimeframePicker label={input.name} value={String(value)} onChange={onChange} />;
  if (input.kind === "market")
    return (
      <Picker
        label={input.name}
        value={String(value)}
        options={markets.map((symbol) => ({ value: symbol, label: symbol }))}
        onChange={onChange}
      />
    );
  const range = sliderRange(input);
  return (
    <div className="flex items-center gap-2">
      <span className="num text-small text-soft">{range.low}</span>
      <input
        id={id}
        type="range"
        className="range range-xs w-full"
        min={range.low}
        max={range.high}
        step={range.step}
        value={Number(value)}
        onChange={(event) => onChange(Number(event.target.value))}
      />
      <span className="num text-small text-soft">{range.high}</span>
    </div>
  );
}
