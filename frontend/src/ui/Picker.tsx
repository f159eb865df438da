interface Props {
  label: string;
  value: string;
  options: { value: string; label: string }[];
  onChange: (value: string) => void;
}

/** A word of a sentence that can be another word. */
export function Picker({ label, value, options, onChange }: Props) {
  return (
    <select
      className="picker"
      aria-label={label}
      title={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    >
      {options.some((option) => option.value === value) ? null : <option value={value}>{value}</option>}
      {options.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </select>
  );
}
