import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { CalendarRow, Condition } from "@/api";
import { Loading, MoveFan, OneStop, plain, signed, Trouble, useKept } from "@/ui";
import type { DeskProps } from "../desk";
import { bandedLines } from "../model";
import { calendarQuery, studyQuery } from "../queries";
import { TrialHeader } from "../TrialHeader";
import { CalendarBars } from "./CalendarBars";
import { Years } from "./Years";

/** What followed the conditions of a script, and on which weekdays, months and hours. */
export function StudyDesk({ head, of, setup }: DeskProps) {
  const [condition, setCondition] = useKept(`study condition ${of}`, "");
  const [asked, setAsked] = useKept(`study asked ${of}`, ""); // a condition that was typed, beside those of the script
  const [typed, setTyped] = useState(asked);
  const study = useQuery(studyQuery(setup));
  const further = useQuery({ ...studyQuery(setup, asked), enabled: asked !== "" });
  const calendar = useQuery(calendarQuery(setup, condition));
  const rows = (asked ? further.data : null)?.conditions ?? study.data?.conditions ?? [];
  const banded = bandedLines(calendar.data?.rows ?? [], condition !== "");
  const years = Object.keys(rows[0]?.yearly ?? {});
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head}>Study the conditions of {head.script} on {head.market} at {head.timeframe} {head.conditions}: how often they came, and what price did after</TrialHeader>
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
              <input className="field num flex-1 text-base-content" placeholder="rsi(close, 2) < 10" value={typed} onChange={(event) => setTyped(event.target.value)} />
            </label>
            <button type="submit" className="plain-button !px-2 !py-0">
              study it
            </button>
          </form>
          {study.error && <Trouble error={study.error.message} />}
          {further.error && asked !== "" && <Trouble error={further.error.message} />}
          {study.isPending && <Loading what="Counting" />}
          {study.data && rows.length === 0 && <p className="text-soft">This script names no condition. Name one, such as: up = close &gt; sma(close, 20), or type one above. The calendar at the right needs none.</p>}
          {rows.length > 0 && (
            <OneStop>
              <table className="w-full text-[12.5px]" data-testid="study">
                <thead>
                  <tr className="border-b border-line text-soft">
                    {["condition", "times", `${years[0] ?? ""} to ${years.at(-1) ?? ""}`, "a year", "yes on", "after 5 bars", "after 20 bars", "95 % band", "any bar", "the next 20 bars"].map((name, place) => (
                      <th key={name} scope="col" className={`px-2 py-1 font-normal ${place === 0 ? "text-left" : "text-right"}`}>
                        {name}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody className="num">
                  {rows.map((row) => (
                    <ConditionRow key={row.text} row={row} isChosen={row.text === condition} onChoose={() => setCondition(row.text === condition ? "" : row.text)} />
                  ))}
                </tbody>
              </table>
            </OneStop>
          )}
          <p className="mt-2 max-w-3xl text-soft">A time counts where a condition turned yes. Moves are in points from that bar&apos;s close; the band is that of a mean of independent times. A band that contains 0, or what any bar did, shows nothing.</p>
        </div>
        <aside aria-label="Calendar" tabIndex={0} className="w-[400px] flex-none overflow-auto border-l border-line bg-base-100 p-4">
          <h2 className="flex items-baseline justify-between gap-2">
            Calendar
            {condition && (
              <button type="button" className="plain-button !px-2 !py-0 font-normal" onClick={() => setCondition("")}>
                all bars
              </button>
            )}
          </h2>
          <p className="text-soft">{condition ? <>where <b className="num text-base-content">{condition}</b> turned yes, by weekday, month and hour: the move over the next 20 bars</> : "every weekday, month and hour: the move from its first open to its last close. Choose a condition to see where it works."}</p>
          {calendar.error && !(further.error && condition === asked) && <Trouble error={calendar.error.message} />}
          {!calendar.error && banded > 0 && <p className="mt-1 text-[12px] text-soft">Bold lines leave 0 outside their band; of {plain(banded, 0)} with a band about {plain(banded * 0.05, 1)} would by luck alone.</p>}
          {!calendar.error && calendar.data && (["weekday", "month", "hour"] as const).map((group) => <Group key={group} group={group} rows={calendar.data.rows.filter((row) => row.group === group)} isCondition={condition !== ""} />)}
        </aside>
      </div>
    </section>
  );
}

function ConditionRow({ row, isChosen, onChoose }: { row: Condition; isChosen: boolean; onChoose: () => void }) {
  const [low, high, any] = [row.low.at(-1) ?? null, row.high.at(-1) ?? null, row.every.at(-1) ?? null];
  const tells = low !== null && high !== null && any !== null && (low > Math.max(0, any) || high < Math.min(0, any));
  const move = (value: number | null | undefined) => (value === null || value === undefined ? "–" : signed(value, 2));
  return (
    <tr className={`border-b border-line ${isChosen ? "bg-shallow" : ""}`} data-condition={row.text}>
      <th scope="row" className="max-w-[22rem] px-2 py-1 text-left font-normal">
        <button type="button" aria-pressed={isChosen} className="cursor-pointer text-left font-semibold hover:underline" title={row.meaning || "Show its calendar"} onClick={onChoose}>
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
      <td className="px-2 text-right whitespace-nowrap text-soft">{low === null || high === null ? "too few" : `${signed(low, 2)} … ${signed(high, 2)}`}</td>
      <td className="px-2 text-right text-soft">{move(any)}</td>
      <td className="py-1 pl-2">
        <span className="flex justify-end">
          <MoveFan of={row} />
        </span>
      </td>
    </tr>
  );
}

function Group({ group, rows, isCondition }: { group: CalendarRow["group"]; rows: CalendarRow[]; isCondition: boolean }) {
  if (rows.length === 0) return null;
  const bars = rows.map((row) => (isCondition ? { name: row.name, count: row.count, middle: row.moves.at(-1) ?? null, low: row.low.at(-1) ?? null, high: row.high.at(-1) ?? null } : { name: row.name, count: row.stretches, middle: row.within, low: row.within_low, high: row.within_high }));
  return (
    <section aria-label={`By ${group}`} className="mt-3">
      <h3 className="text-soft italic">by {group}, points</h3>
      <CalendarBars rows={bars} />
    </section>
  );
}
