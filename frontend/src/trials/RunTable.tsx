import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { FigureInfo, Trial } from "@/api";
import { figureText, Loading, OneStop, Picker, plain, Trouble } from "@/ui";
import { axisLabel, limitOf, limitText, SIGNAL } from "./model";
import { tableQuery, type Seen } from "./queries";

interface Props {
  trial: Trial;
  seen: Seen;
  figures: FigureInfo[];
  chosen: number | null;
  onChoose: (number: number) => void;
  onOpen: (number: number) => void;
}

interface Filter {
  key: string;
  isLeast: boolean;
  value: number;
}

const SHOWN = ["trades", "net_profit", "max_drawdown_percent", "profit_factor", "win_rate", "sharpe"];
const PAGE = 100;

/** All runs of a trial as lines: sorted by any column, those left out that lie beyond a limit. */
export function RunTable({ trial, seen, figures, chosen, onChoose, onOpen }: Props) {
  const [sort, setSort] = useState<{ by: string; descending: boolean } | null>(null);
  const [filters, setFilters] = useState<Filter[]>([]);
  const [limit, setLimit] = useState(PAGE);
  const info = figures.find((figure) => figure.key === seen.objective);
  const by = sort ?? { by: seen.objective, descending: info?.higher_is_better !== false };
  const texts = (isLeast: boolean) =>
    filters.filter((filter) => filter.isLeast === isLeast).map((filter) => `${filter.key}:${filter.value}`);
  const found = useQuery(
    tableQuery(seen, { sort: by.by, descending: by.descending, least: texts(true), most: texts(false), limit }),
  );
  const shown = [...new Set([seen.objective, ...SHOWN])].map((key) => figures.find((figure) => figure.key === key)!);
  const isSplit = trial.parts.length > 1 && trial.order.kind !== "walk";
  const isSearch = trial.order.kind === "search";
  const axes = trial.axes.filter((axis) => axis.name !== SIGNAL);
  const head = (key: string, name: string, tip: string, right = true) => (
    <th
      key={key}
      scope="col"
      aria-sort={by.by === key ? (by.descending ? "descending" : "ascending") : undefined}
      className={`sticky top-0 z-10 bg-base-200 px-2 py-1 font-normal ${right ? "text-right" : "text-left"}`}
    >
      <button
        type="button"
        className={`cursor-pointer ${by.by === key ? "font-semibold text-base-content" : ""}`}
        title={tip}
        onClick={() => setSort({ by: key, descending: by.by === key ? !by.descending : true })}
      >
        {name}
        {by.by === key && (by.descending ? " ↓" : " ↑")}
      </button>
    </th>
  );
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pb-2 text-soft">
        <span data-testid="matching">
          {found.data ? `${plain(found.data.matching, 0)} of ${plain(found.data.total, 0)} runs` : "…"}
          {filters.length > 0 && " with"}
        </span>
        {filters.map((filter, place) => (
          <button
            key={place}
            type="button"
            className="cursor-pointer rounded-full border border-line px-2 text-note hover:line-through"
            title="Take this limit away"
            onClick={() => setFilters(filters.filter((_, other) => other !== place))}
          >
            {figures.find((figure) => figure.key === filter.key)?.name} {filter.isLeast ? "≥" : "≤"}{" "}
            {limitText(
              figures.find((figure) => figure.key === filter.key),
              filter.value,
            )}
          </button>
        ))}
        <LimitForm figures={figures} onAdd={(filter) => setFilters([...filters, filter])} />
        <span className="ml-auto">
          all runs as{" "}
          <a className="underline" href={`/api/trials/${trial.id}/export?form=csv`} download>
            CSV
          </a>{" "}
          <a className="underline" href={`/api/trials/${trial.id}/export?form=csv-comma`} download>
            CSV with decimal commas
          </a>{" "}
          <a className="underline" href={`/api/trials/${trial.id}/export?form=parquet`} download>
            Parquet
          </a>
        </span>
      </div>
      {found.isPending && <Loading what="Reading the runs" />}
      {found.error && <Trouble error={found.error.message} />}
      <div className="min-h-0 flex-1 overflow-auto">
        <OneStop>
          <table
            className={`num w-full text-note [&_td]:whitespace-nowrap ${isSearch ? "[&_td]:px-1 [&_th]:px-1" : ""}`}
            data-testid="run-table"
            aria-label="Runs; those in italics have too few trades to be ranked"
          >
            <thead>
              <tr className="border-b border-line font-sans text-soft">
                {isSearch && head(SIGNAL, "entry", "The conditions of the entry", false)}
                {axes.map((axis) => head(axis.name, axis.name, "Sort by this", axis.ordered))}
                {head(shown[0]!.key, shown[0]!.name, shown[0]!.meaning)}
                {!isSearch && head("neighbourhood", "Neighbours", "The median of this run and those beside it")}
                {isSplit && (
                  <th
                    scope="col"
                    className="sticky top-0 z-10 bg-base-200 px-2 py-1 text-right font-normal"
                    title="The same on the days out of sample"
                  >
                    Out of sample
                  </th>
                )}
                {shown.slice(1).map((figure) => head(figure.key, figure.name, figure.meaning))}
              </tr>
            </thead>
            <tbody>
              {found.data?.rows.map((row) => (
                <tr
                  key={row.number}
                  data-run={row.number}
                  data-ranked={row.ranked}
                  className={`cursor-pointer border-b border-line ${row.number === chosen ? "bg-shallow" : "hover:bg-base-100"} ${row.ranked ? "" : "text-soft italic"}`}
                  onClick={() => onChoose(row.number)}
                  onDoubleClick={() => onOpen(row.number)}
                >
                  {isSearch && <td className="min-w-56 px-2 py-[2px] text-note !whitespace-normal">{row.label}</td>}
                  {axes.map((axis, place) => (
                    <td key={axis.name} className={`px-2 py-[2px] ${axis.ordered ? "text-right" : ""}`}>
                      {place === 0 ? (
                        <button
                          type="button"
                          className="cursor-pointer"
                          title="Choose this run; double-press opens it"
                          onClick={() => onChoose(row.number)}
                        >
                          {axisLabel(row.inputs[axis.name]!)}
                        </button>
                      ) : (
                        axisLabel(row.inputs[axis.name]!)
                      )}
                    </td>
                  ))}
                  {row.figures === null ? (
                    <td
                      colSpan={shown.length + (isSplit ? 1 : 0) + (isSearch ? 0 : 1)}
                      className="px-2 text-left font-sans text-loss"
                    >
                      {row.error}
                    </td>
                  ) : (
                    <>
                      <td className="px-2 text-right font-semibold">
                        {figureText(shown[0]!, row.figures[shown[0]!.key])}
                      </td>
                      {!isSearch && <td className="px-2 text-right">{figureText(shown[0]!, row.neighbourhood)}</td>}
                      {isSplit && (
                        <td className="px-2 text-right">{figureText(shown[0]!, row.outside?.[shown[0]!.key])}</td>
                      )}
                      {shown.slice(1).map((figure) => (
                        <td key={figure.key} className="px-2 text-right">
                          {figureText(figure, row.figures![figure.key])}
                        </td>
                      ))}
                    </>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
        </OneStop>
        {found.data && found.data.matching > limit && limit < 500 && (
          <button type="button" className="plain-button my-3" onClick={() => setLimit(Math.min(500, limit + PAGE))}>
            Show {PAGE} more
          </button>
        )}
      </div>
    </div>
  );
}

function LimitForm({ figures, onAdd }: { figures: FigureInfo[]; onAdd: (filter: Filter) => void }) {
  const [key, setKey] = useState("trades");
  const [isLeast, setIsLeast] = useState(true);
  const [typed, setTyped] = useState("");
  const info = figures.find((figure) => figure.key === key);
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        const value = limitOf(info, typed);
        if (value === null) return;
        onAdd({ key, isLeast, value });
        setTyped("");
      }}
    >
      only with
      <Picker
        label="Limit of"
        value={key}
        options={figures.map((figure) => ({
          value: figure.key,
          label: figure.name.toLowerCase() + (figure.unit === "percent" ? " %" : ""),
        }))}
        onChange={setKey}
      />
      <Picker
        label="Limit kind"
        value={isLeast ? "least" : "most"}
        options={[
          { value: "least", label: "at least" },
          { value: "most", label: "at most" },
        ]}
        onChange={(value) => setIsLeast(value === "least")}
      />
      <input
        className="field num w-16"
        inputMode="decimal"
        aria-label="Limit"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
      />
      {(info?.unit === "fraction" || info?.unit === "percent") && "%"}
      <button type="submit" className="plain-button !px-2 !py-0">
        add
      </button>
    </form>
  );
}
