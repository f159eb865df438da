import { Picker } from "@/ui";
import { fieldsOf, type AxisFields, type InputRange } from "./model";

interface Props {
  label: string;
  axis: AxisFields;
  inputs: InputRange[];
  taken: string[];
  onChange: (axis: AxisFields) => void;
}

/** One axis of the sweep: which input, and its values. */
export function AxisEditor({ label, axis, inputs, taken, onChange }: Props) {
  const parts = ["from", "to", "step"] as const;
  return (
    <div className="mb-3 border-b border-line pb-3">
      <div className="flex items-baseline justify-between">
        <span className="num">
          <Picker
            label={`Input ${label}`}
            value={axis.name}
            options={inputs.filter((input) => !taken.includes(input.name)).map((input) => ({ value: input.name, label: input.name }))}
            onChange={(name) => onChange(fieldsOf(inputs.find((input) => input.name === name)!))}
          />
        </span>
        <span className="text-soft">{label}</span>
      </div>
      {axis.words.length > 0 ? (
        <p className="num mt-1">{axis.words.join(", ")}</p>
      ) : (
        <div className="mt-1 grid grid-cols-3 gap-2">
          {parts.map((part) => (
            <label key={part} className="text-[11.5px] text-soft">
              {part}
              <input className="field num w-full" inputMode="decimal" aria-label={`${axis.name} ${part}`} value={axis[part]} onChange={(event) => onChange({ ...axis, [part]: event.target.value })} />
            </label>
          ))}
        </div>
      )}
    </div>
  );
}
