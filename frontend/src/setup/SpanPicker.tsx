import { dateText, later, PopOver } from "@/ui";
import { DateField } from "./DateField";
import { presetSpans } from "./model";

const SpanStrip = later(
  () => import("./SpanStrip").then((found) => found.SpanStrip),
  <span className="block h-[74px]" />,
);

interface Props {
  market: string;
  first: string;
  last: string;
  from: string;
  to: string;
  /** A day left out means as early, or as late, as there are bars. */
  onSpan: (from: string | undefined, to: string | undefined) => void;
}

/** The days of the run: a strip of price to drag over, and both dates to type. */
export function SpanPicker(props: Props) {
  const { first, last, from, to, onSpan } = props;
  const take = (begin: string, end: string) =>
    onSpan(begin && begin > first ? begin : undefined, end && end < last ? end : undefined);
  return (
    <PopOver
      face={`${dateText(from)} to ${dateText(to)}`}
      title="From the first day to the last"
      className="picker whitespace-nowrap"
    >
      {() => (
        <span className="block w-[452px] p-4">
          <SpanStrip {...props} onTake={take} />
          <span className="mt-2 flex items-baseline gap-2 text-soft">
            from <DateField label="First day" value={from} onDay={(day) => take(day, to)} /> to{" "}
            <DateField label="Last day" value={to} onDay={(day) => take(from, day)} />
          </span>
          <span className="mt-2 flex flex-wrap gap-x-3 gap-y-1" role="group" aria-label="Often asked for">
            {presetSpans(first, last).map((preset) => (
              <button
                key={preset.name}
                type="button"
                className="cursor-pointer text-note text-long hover:underline"
                onClick={() => onSpan(preset.from, preset.to)}
              >
                {preset.name}
              </button>
            ))}
          </span>
        </span>
      )}
    </PopOver>
  );
}
