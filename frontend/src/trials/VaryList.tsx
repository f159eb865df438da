import { useQuery } from "@tanstack/react-query";
import { basketsQuery } from "@/api";
import { axisLabel, type AxisFields } from "./model";

interface Props {
  axes: AxisFields[];
  /** What each input is where it does not vary. */
  defaults: Record<string, string>;
  onChange: (axes: AxisFields[]) => void;
}

/** Everything that can vary: ticked with its values, or left at what it is. The first two ticked are across and upwards. */
export function VaryList({ axes, defaults, onChange }: Props) {
  const on = axes.filter((axis) => axis.isOn);
  const put = (name: string, change: Partial<AxisFields>) =>
    onChange(axes.map((axis) => (axis.name === name ? { ...axis, ...change } : axis)));
  return (
    <ul aria-label="What varies">
      {axes.map((axis) => (
        <li key={axis.name} className="border-b border-line py-[5px]">
          <div className="flex items-baseline gap-2">
            <label
              className={`num flex min-w-0 cursor-pointer items-baseline gap-2 break-all ${axis.isOn ? "font-semibold" : "text-soft"}`}
              title={axis.said}
            >
              <input
                type="checkbox"
                checked={axis.isOn}
                aria-label={`vary ${axis.name}`}
                className="relative top-[2px] accent-base-content"
                onChange={(event) => put(axis.name, { isOn: event.target.checked })}
              />
              {axis.name}
            </label>
            <span className="num ml-auto truncate text-note text-soft">
              {axis.isOn ? ["across", "upwards"][on.indexOf(axis)] : defaults[axis.name]}
            </span>
          </div>
          {axis.said && axis.isOn && (
            <p className="truncate pl-6 text-small text-soft" title={axis.said}>
              {axis.said}
            </p>
          )}
          {axis.isOn &&
            (axis.words.length > 0 ? (
              <Words
                axis={axis}
                areMarkets={axis.name === "market"}
                onChange={(chosen) => put(axis.name, { chosen })}
              />
            ) : (
              <Range axis={axis} onChange={(change) => put(axis.name, change)} />
            ))}
        </li>
      ))}
    </ul>
  );
}

function Range({ axis, onChange }: { axis: AxisFields; onChange: (change: Partial<AxisFields>) => void }) {
  return (
    <div className="mt-1 grid grid-cols-3 gap-2 pl-6">
      {(["from", "to", "step"] as const).map((part) => (
        <label key={part} className="text-small text-soft">
          {part}
          <input
            className="field num w-full"
            inputMode="decimal"
            aria-label={`${axis.name} ${part}`}
            value={axis[part]}
            onChange={(event) => onChange({ [part]: event.target.value })}
          />
        </label>
      ))}
    </div>
  );
}

/** Some words of several, each pressed or not; markets also all at once, or those of a basket. */
export function Words({
  axis,
  areMarkets = false,
  onChange,
}: {
  axis: { name: string; words: string[]; chosen: string[] };
  areMarkets?: boolean;
  onChange: (chosen: string[]) => void;
}) {
  const baskets = useQuery({ ...basketsQuery, enabled: areMarkets });
  const sets = areMarkets ? [{ name: "all", markets: axis.words }, ...(baskets.data ?? [])] : [];
  const isTaken = (markets: string[]) =>
    markets.length === axis.chosen.length && markets.every((market) => axis.chosen.includes(market));
  return (
    <p className="mt-1 flex flex-wrap items-baseline gap-1 pl-6">
      {axis.words.map((word) => {
        const isIn = axis.chosen.includes(word);
        return (
          <button
            key={word}
            type="button"
            aria-pressed={isIn}
            aria-label={`${axis.name} ${word}`}
            className={`num cursor-pointer rounded-full border px-2 text-small leading-[18px] ${isIn ? "border-base-content bg-base-content text-base-100" : "border-line text-soft hover:border-soft"}`}
            onClick={() => onChange(isIn ? axis.chosen.filter((other) => other !== word) : [...axis.chosen, word])}
          >
            {axisLabel(word)}
          </button>
        );
      })}
      {sets.map(({ name, markets }) => {
        const missing = markets.filter((market) => !axis.words.includes(market));
        return (
          <button
            key={`${name} ${markets.join()}`}
            type="button"
            className="cursor-pointer px-1 text-small text-long hover:underline disabled:cursor-default disabled:text-soft disabled:no-underline"
            aria-label={`Take ${name} for ${axis.name}`}
            title={missing.length > 0 ? `${missing.join(", ")}: no bars for this timeframe and these days` : undefined}
            disabled={missing.length > 0 || isTaken(markets)}
            onClick={() => onChange(markets)}
          >
            take {name}
          </button>
        );
      })}
    </p>
  );
}
