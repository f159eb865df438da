import { useState } from "react";
import type { PracticeLine } from "@/api";
import { RemovalDialog, TakenAway, type Removed } from "@/keeping";
import { dateText, moneyText, moneyTone, OneStop, plain } from "@/ui";
import { placeText, STATES, type PracticeProps } from "./model";

const dayOf = (moment: number) => dateText(new Date(moment * 1000).toISOString());

/** Every practice in a line. */
export function All({ lines, onState }: PracticeProps & { lines: PracticeLine[] }) {
  const [leaving, setLeaving] = useState<Removed | null>(null);
  return (
    <section className="flex h-full flex-col" aria-label="Practices">
      <header className="flex min-h-[46px] flex-none items-center border-b border-line px-4 text-sentence">
        <h1 className="text-sentence font-normal text-soft">
          <b className="font-semibold text-base-content">{lines.length}</b>{" "}
          {lines.length === 1 ? "strategy in practice" : "strategies in practice"}
        </h1>
        <button type="button" className="main-button ml-auto" onClick={() => onState({ begin: true })}>
          Begin another
        </button>
      </header>
      <div className="min-h-0 flex-1 overflow-auto px-4 py-2">
        <OneStop>
          <table className="w-full border-collapse" data-testid="practices">
            <thead className="text-left text-note text-soft">
              <tr>
                {["strategy", "on", "fed by", "since", "position", "trades", "net", "state", ""].map((name) => (
                  <th key={name} scope="col" className="border-b border-line py-1 font-normal">
                    {name || <span className="sr-only">delete</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {lines.map((line) => (
                <tr key={line.number} className="border-b border-line hover:bg-shallow">
                  <td className="py-1.5">
                    <button
                      type="button"
                      className="cursor-pointer font-semibold text-long hover:underline"
                      onClick={() => onState({ practice: line.number })}
                    >
                      {line.title}
                      {line.version !== null && ` v${line.version}`}
                    </button>
                  </td>
                  <td className="num">
                    <span title={line.markets.join(", ")}>
                      {placeText(line)} {line.timeframe}
                    </span>
                  </td>
                  <td>{line.feed}</td>
                  <td className="num">{dayOf(line.since)}</td>
                  <td className="num">{positionText(line)}</td>
                  <td className="num">{line.trades ?? ""}</td>
                  <td className={`num ${moneyTone(line.net)}`}>{line.net === null ? "" : moneyText(line.net)}</td>
                  <td title={line.message} className={line.state === "failed" ? "text-loss" : ""}>
                    {STATES[line.state] ?? line.state}
                    {line.message && <span className="ml-2 text-note text-soft">{line.message}</span>}
                  </td>
                  <td className="text-right">
                    <button
                      type="button"
                      className="cursor-pointer text-soft hover:text-base-content hover:underline"
                      aria-label={`Delete the practice of ${line.title}`}
                      onClick={() => setLeaving({ kind: "practice", name: String(line.number), called: line.title })}
                    >
                      delete
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </OneStop>
        <TakenAway kind="practice" />
      </div>
      {leaving && <RemovalDialog what={leaving} onClose={() => setLeaving(null)} />}
    </section>
  );
}

function positionText({ position, open_in: open, markets }: PracticeLine): string {
  if (open === null) return "";
  if (position === null) return `in ${open} of ${markets.length}`;
  return position === 0 ? "flat" : `${position > 0 ? "long" : "short"} ${plain(Math.abs(position), 0)}`;
}
