import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { CalendarRow, Condition, MoveUnit } from "@/api";
import { Loading, MoveFan, MOVE_UNITS, OneStop, Picker, plain, signed, Trouble, useKept } from "@/ui";
import type { DeskProps } from "../desk";
import { calendarQuery, studyQuery } from "../queries";
import { TrialHeader } from "../TrialHeader";
import { CalendarBars } from "./CalendarBars";
import { Years } from "./Years";

/** What followed the conditions of a script, and on which weekdays, months and hours. */
export function StudyDesk({ head, of, setup }: DeskProps) {
  const [condition, setCondition] = useKept(`study condition ${of}`, "");
  const [asked, setAsked] = useKept(`study asked ${of}`, ""); // a condition that was typed, beside those of the script
  const [typed, setTyped] = useState(asked);
  const [unit, setUnit] = useKept<MoveUnit>("study unit", "points");
  const study = useQuery(studyQuery(setup, unit));
  const further = useQuery({ ...studyQuery(setup, unit, asked), enabled: asked !== "" });
  const calendar = useQuery(calendarQuery(setup, unit, condition));
  const rows = (asked ? further.data : null)?.conditions ?? study.data?.conditions ?? [];
  const outstanding = calendar.data?.rows.filter((row) => row.stands_out).length ?? 0;
  const years = Object.keys(rows[0]?.yearly ?? {});
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head}>
        Study the conditions of {head.script} on {head.market} at {head.timeframe} {head.conditions}: how often they
        came, and what price did after
      </TrialHeader>
      <div className="stacks flex min-h-0 flex-1">
        <div className="min-w-0 flex-1 overflow-auto p-4">
          <form
            className="mb-3 flex items-center gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              const text = typed.trim().replace(/\s+/g, " ");
              setAsked(text);
              setCondition(text);
            }}
          >
            <label className="flex max-w-xl flex-1 items-center gap-2 whitespace-nowrap text-soft">
              any other condition
              <input
                className="field num flex-1 text-base-content"
                placeholder="rsi(close, 2) < 10"
                value={typed}
                onChange={(event) => setTyped(event.target.value)}
              />
            </label>
            <button type="submit" className="plain-button !px-2 !py-0">
              study it
            </button>
            <label className="ml-auto flex items-center gap-2 whitespace-nowrap text-soft">
              moves in
              <Picker
                label="Unit of moves"
                value={unit}
                options={Object.entries(MOVE_UNITS).map(([value, label]) => ({ value, label }))}
                onChange={(value) => setUnit(value as MoveUnit)}
              />
            </label>
          </form>
          {study.error && <Trouble error={study.error.message} />}
          {further.error && asked !== "" && <Trouble error={further.error.message} />}
          {study.isPending && <Loading what="Counting" />}
          {study.data && rows.length === 0 && (
            <p className="text-soft">
              This script names no condition. Name one, such as: up = close &gt; sma(close, 20), or type one above. The
              calendar at the right needs none.
            </p>
          )}
          {rows.length > 0 && (
            <OneStop>
              <table className="w-full text-note" data-testid="study">
                <thead>
                  <tr className="border-b border-line text-soft">
                    {[
                      "condition",
                      "times",
                      `${years[0] ?? ""} to ${years.at(-1) ?? ""}`,
                      "a year",
                      "yes on",
                      "after 5 bars",
                      "after 20 bars",
                      "95 % band",
                      "any bar",
                      "by luck",
                      "the next 20 bars",
                    ].map((name, place) => (
                      <th
                        key={name}
                        scope="col"
                        className={`px-2 py-1 font-normal ${place === 0 ? "text-left" : "text-right"}`}
                      >
                        {name}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody className="num">
                  {rows.map((row) => (
                    <ConditionRow
                      key={row.text}
                      row={row}
                      isChosen={row.text === condition}
                      onChoose={() => setCondition(row.text === condition ? "" : row.text)}
                    />
                  ))}
                </tbody>
              </table>
            </OneStop>
          )}
          <p className="mt-2 max-w-3xl text-soft">
            A time counts where a condition turned yes. Moves are in {MOVE_UNITS[unit]}, from that bar&apos;s close. The
            band holds for all 20 bars together and takes into account that moves overlap; where it contains what any
            bar did, it shows nothing. <i>By luck</i>: in how many of 100 histories without any difference one as large
            turns up somewhere on the way.
          </p>
        </div>
        <aside
          aria-label="Calendar"
          tabIndex={0}
          className="w-[400px] flex-none overflow-auto border-l border-line bg-base-100 p-4"
        >
          <h2 className="flex items-baseline justify-between gap-2">
            Calendar
            {condition && (
              <button type="button" className="plain-button !px-2 !py-0 font-normal" onClick={() => setCondition("")}>
                all bars
              </button>
            )}
          </h2>
          <p className="text-soft">
            {condition ? (
              <>
                where <b className="num text-base-content">{condition}</b> turned yes, by weekday, month and hour: the
                move over the next 20 bars
              </>
            ) : (
              "every weekday, month and hour: the move from its first open to its last close. Choose a condition to see where it works."
            )}
          </p>
          {calendar.error && !(further.error && condition === asked) && <Trouble error={calendar.error.message} />}
          {!calendar.error && calendar.data && (
            <p className="mt-1 text-note text-soft">
              {outstanding === 0
                ? "No line is bold: none differs from what is usual (the small bar) by more than luck explains, so many lines being looked at."
                : "Bold lines differ from what is usual (the small bar); of such lines at most one in twenty does so by luck, as many as are looked at."}
            </p>
          )}
          {!calendar.error &&
            calendar.data &&
            (["weekday", "month", "hour"] as const).map((group) => (
              <Group
                key={group}
                group={group}
                rows={calendar.data.rows.filter((row) => row.group === group)}
                isCondition={condition !== ""}
                unit={unit}
              />
            ))}
        </aside>
      </div>
    </section>
  );
}

function ConditionRow({ row, isChosen, onChoose }: { row: Condition; isChosen: boolean; onChoose: () => void }) {
  const [low, high, any] = [row.low.at(-1) ?? null, row.high.at(-1) ?? null, row.every.at(-1) ?? null];
  const tells = row.p !== null && row.p <= 0.05;
  const move = (value: number | null | undefined) => (value === null || value === undefined ? "–" : signed(value, 2));
  return (
    <tr className={`border-b border-line ${isChosen ? "bg-shallow" : ""}`} data-condition={row.text}>
      <th scope="row" className="max-w-[22rem] px-2 py-1 text-left font-normal">
        <button
          type="button"
          aria-pressed={isChosen}
          className="cursor-pointer text-left font-semibold hover:underline"
          title={row.meaning || "Show its calendar"}
          onClick={onChoose}
        >
          {row.text}
        </button>
      </th>
      <td className="px-2 text-right">{plain(row.count, 0)}</td>
      <td className="py-1 pl-2">
        <Years yearly={row.yearly} />
      </td>
      <td className="px-2 text-right">{plain(row.per_year, 0)}</td>
      <td className="px-2 text-right whitespace-nowrap">{plain(row.share * 100, 1)} %</td>
      <td className="px-2 text-right">{move(row.moves[4])}</td>
      <td className={`px-2 text-right ${tells ? "font-semibold" : ""}`}>{move(row.moves.at(-1))}</td>
      <td className="px-2 text-right whitespace-nowrap text-soft">
        {low === null || high === null ? "too few" : `${signed(low, 2)} … ${signed(high, 2)}`}
      </td>
      <td className="px-2 text-right text-soft">{move(any)}</td>
      <td className={`px-2 text-right whitespace-nowrap ${tells ? "font-semibold" : "text-soft"}`}>
        {row.p === null ? "–" : `${plain(row.p * 100, row.p < 0.1 ? 1 : 0)} %`}
      </td>
      <td className="py-1 pl-2">
        <span className="flex justify-end">
          <MoveFan of={row} />
        </span>
      </td>
    </tr>
  );
}

function Group({
  group,
  rows,
  isCondition,
  unit,
}: {
  group: CalendarRow["group"];
  rows: CalendarRow[];
  isCondition: boolean;
  unit: MoveUnit;
}) {
  if (rows.length === 0) return null;
  const bars = rows.map((row) => ({
    name: row.name,
    standsOut: row.stands_out,
    ...(isCondition
      ? {
          count: row.count,
          middle: row.moves.at(-1) ?? null,
          low: row.low.at(-1) ?? null,
          high: row.high.at(-1) ?? null,
          usual: row.every.at(-1) ?? null,
        }
      : { count: row.stretches, middle: row.within, low: row.within_low, high: row.within_high, usual: row.usual }),
  }));
  return (
    <section aria-label={`By ${group}`} className="mt-3">
      <h3 className="text-soft italic">
        by {group}, {MOVE_UNITS[unit]}
      </h3>
      <CalendarBars rows={bars} unit={MOVE_UNITS[unit]} />
    </section>
  );
}
