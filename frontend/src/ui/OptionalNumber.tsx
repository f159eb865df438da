import type { ComponentProps } from "react";
import { NumberField } from "./NumberField";
import { Picker } from "./Picker";

interface Props extends Omit<ComponentProps<typeof NumberField>, "value" | "onChange"> {
  /** What is chosen: whether there is a number. */
  whether: string;
  /** How it is said that there is none, and what stands before the number where there is one. */
  none: string;
  some: string;
  /** Null for none. */
  value: number | null;
  /** What it is at first when there is to be one. */
  usual: number;
  onChange: (value: number | null) => void;
}

/** A number that need not be there, said in words. */
export function OptionalNumber({ whether, none, some, value, usual, onChange, ...field }: Props) {
  return (
    <>
      <Picker
        label={whether}
        value={value === null ? "none" : "some"}
        options={[
          { value: "none", label: none },
          { value: "some", label: some },
        ]}
        onChange={(next) => onChange(next === "none" ? null : usual)}
      />
      {value !== null && (
        <>
          {" "}
          <NumberField {...field} value={value} onChange={onChange} />
        </>
      )}
    </>
  );
}
