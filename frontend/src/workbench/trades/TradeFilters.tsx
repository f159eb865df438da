import type { TradeColumns } from "@/api";
import { Picker } from "@/ui";
import { WEEKDAYS, type TradeFilter } from "./model";

interface Props {
  trades: TradeColumns;
  filter: TradeFilter;
  onFilter: (filter: TradeFilter) => void;
}

const HOURS = Array.from({ length: 24 }, (_, hour) => String(hour).padStart(2, "0"));

/** What of the trades is shown: one picker for each thing that they can be told apart by. */
export function TradeFilters({ trades, filter, onFilter }: Props) {
  const index = (value: string) => (value === "" ? undefined : Number(value));
  const named = (names: string[]) => names.map((name, place) => ({ value: String(place), label: name }));
  const same = (names: readonly string[]) => names.map((name) => ({ value: name, label: name }));
  const rows: {
    label: string;
    value: string;
    all: string;
    options: { value: string; label: string }[];
    take: (value: string) => Partial<TradeFilter>;
  }[] = [
    {
      label: "Side",
      value: filter.side ?? "",
      all: "both sides",
      options: same(["long", "short"]),
      take: (value) => ({ side: (value || undefined) as TradeFilter["side"] }),
    },
    {
      label: "Result",
      value: filter.result ?? "",
      all: "won or lost",
      options: same(["won", "lost"]),
      take: (value) => ({ result: (value || undefined) as TradeFilter["result"] }),
    },
    {
      label: "Rule",
      value: String(filter.rule ?? ""),
      all: "any rule",
      options: named(trades.rules),
      take: (value) => ({ rule: index(value) }),
    },
    {
      label: "Reason",
      value: String(filter.reason ?? ""),
      all: "any exit",
      options: named(trades.reasons),
      take: (value) => ({ reason: index(value) }),
    },
    {
      label: "Weekday",
      value: filter.weekday ?? "",
      all: "any weekday",
      options: same(WEEKDAYS),
      take: (value) => ({ weekday: value || undefined }),
    },
    {
      label: "Hour",
      value: filter.hour ?? "",
      all: "any hour",
      options: HOURS.map((hour) => ({ value: hour, label: `${hour}:00 to ${hour}:59` })),
      take: (value) => ({ hour: value || undefined }),
    },
  ];
  return (
    <div className="flex flex-wrap gap-x-3 gap-y-1 border-b border-line px-3 py-1 text-note">
      {rows.map((row) => (
        <Picker
          key={row.label}
          label={`${row.label} of trades`}
          value={row.value}
          options={[{ value: "", label: row.all }, ...row.options]}
          onChange={(value) => onFilter({ ...filter, ...row.take(value) })}
        />
      ))}
    </div>
  );
}
