import type { Report } from "@/api";
import { dateText, plain } from "@/ui";
import { Section } from "./Section";

/** All that made the run: who has this can make it again. */
export function Made({ report }: { report: Report }) {
  const { made } = report;
  const rows: [string, string][] = [
    ["Bars", `${made.timeframe}, ${made.from_date ?? "from the first"} to ${made.to_date ?? "the last"}`],
    ["Sides", made.sides + (made.inverted ? ", exchanged" : "")],
    [
      "Inputs",
      Object.entries(made.inputs)
        .map(([name, value]) => `${name} = ${String(value)}`)
        .join(", ") || "none",
    ],
    ["Account", told(made.account)],
    ...(made.dearest === null
      ? []
      : ([["Markets", `where a trade costs at most ${made.dearest} % of a day's range`]] as [string, string][])),
    ...made.markets.map((market): [string, string] => [
      market.symbol,
      `${plain(market.bars, 0)} bars of ${market.timeframe}, ${dateText(market.first)} to ${dateText(market.last)}, version ${market.data_version}` +
        `${market.left_out ? `, ${market.left_out} left out` : ""}; description ${market.described ?? "of its own"}: ${told(market.settings)}; sum ${market.sha256}`,
    ]),
    ["Script", `sum ${made.sha256}`],
    ["Skelb", made.engine_version],
  ];
  return (
    <Section name="All that made it" said="who has this can make it again; sums are SHA-256">
      <dl className="grid grid-cols-[max-content_1fr] gap-x-4 text-note">
        {rows.map(([name, text]) => (
          <div key={name} className="contents">
            <dt className="text-soft">{name}</dt>
            <dd className="min-w-0 break-words">{text}</dd>
          </div>
        ))}
      </dl>
      <pre className="num mt-2 overflow-x-auto border-l-2 border-line pl-3 text-note whitespace-pre-wrap">
        {made.text}
      </pre>
    </Section>
  );
}

/** Settings in words, those that are not set left out. */
function told(settings: Record<string, unknown>): string {
  return Object.entries(settings)
    .filter(([, value]) => value !== null && value !== "" && value !== false)
    .map(([key, value]) => {
      const name = key.replaceAll("_", " ");
      if (Array.isArray(value)) return `${name} ${value.join(" ")}`;
      return typeof value === "object"
        ? `${name} (${told(value as Record<string, unknown>)})`
        : `${name} ${value as string | number}`;
    })
    .join(", ");
}
