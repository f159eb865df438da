import { isCancelledError, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { worthQuery, type FigureInfo, type LineWorth, type Setup } from "@/api";
import { figureText, moneyTone, plain, signed, Trouble } from "@/ui";
import { Section } from "./Section";

const SHOWN = ["net_profit", "return_over_drawdown", "trades"];

/** The run without each of its lines, and without each part of its conditions: what each is worth. */
export function Worth({ setup, figures }: { setup: Setup; figures: FigureInfo[] }) {
  const [isAsked, setAsked] = useState(false);
  const client = useQueryClient();
  const query = worthQuery(setup);
  const found = useQuery({ ...query, enabled: isAsked });
  const steps = found.data ?? [];
  const latest = steps.at(-1);
  const rows = steps.flatMap((step) => step.row ?? []);
  const shown = SHOWN.map((key) => figures.find((figure) => figure.key === key)!);
  const isDone = latest !== undefined && latest.done === latest.total;
  return (
    <Section name="What each line is worth" said="the run without it, less the run as it is">
      {!isAsked && !latest && (
        <button type="button" className="plain-button no-print" onClick={() => setAsked(true)}>
          Run it without each line
        </button>
      )}
      {found.error && !isCancelledError(found.error) && <Trouble error={found.error.message} />}
      {(isAsked || latest) && !isDone && !found.error && (
        <p role="status" className="text-soft">
          {latest ? `${plain(latest.done, 0)} of ${plain(latest.total, 0)}` : "Running it as it is"}
          {found.isFetching ? (
            <button
              type="button"
              className="plain-button ml-2 !py-0"
              onClick={() => void client.cancelQueries({ queryKey: query.queryKey, exact: true }, { revert: false })}
            >
              Stop
            </button>
          ) : (
            <button type="button" className="plain-button ml-2 !py-0" onClick={() => void found.refetch()}>
              Go on from the beginning
            </button>
          )}
        </p>
      )}
      {rows.length > 0 && (
        <table className="w-full text-note" data-testid="worth">
          <thead>
            <tr className="border-b border-line text-soft italic">
              <th scope="col" className="text-right font-normal">
                line
              </th>
              <th scope="col" className="px-2 text-left font-normal">
                without
              </th>
              {shown.map((figure) => (
                <th key={figure.key} scope="col" className="px-2 text-right font-normal" title={figure.meaning}>
                  {figure.name}
                </th>
              ))}
              <td />
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <Line key={`${row.line} ${row.change} ${row.part}`} row={row} shown={shown} />
            ))}
          </tbody>
        </table>
      )}
    </Section>
  );
}

function Line({ row, shown }: { row: LineWorth; shown: FigureInfo[] }) {
  return (
    <tr className={`border-b border-line ${row.change === "alone" ? "text-soft" : ""}`} data-says={row.says}>
      <td className="num text-right text-soft">{row.line}</td>
      <th scope="row" className="max-w-[260px] truncate px-2 text-left font-normal" title={row.part}>
        {row.change === "alone" && <i>alone: </i>}
        {row.of && <span className="text-soft">{row.of}: </span>}
        <code className="num">{row.part.replaceAll(/\s+/g, " ")}</code>
      </th>
      {row.error && (
        <td colSpan={shown.length} className="px-2 text-soft italic" title={row.error}>
          cannot go: {row.error.replace(/^.*?: /, "")}
        </td>
      )}
      {row.differences &&
        shown.map((figure) => {
          const change = row.differences?.[figure.key];
          return (
            <td
              key={figure.key}
              className={`num px-2 text-right whitespace-nowrap ${figure.key === "trades" ? "" : moneyTone(change)}`}
              title={`would be ${figureText(figure, row.figures?.[figure.key])}`}
            >
              {change == null ? "–" : signed(change, figure.unit === "ratio" ? 2 : 0)}
            </td>
          );
        })}
      <td className={`whitespace-nowrap italic ${row.says === "only costs" ? "text-loss" : "text-soft"}`}>
        {row.says}
      </td>
    </tr>
  );
}
