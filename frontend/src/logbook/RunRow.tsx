import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Star } from "lucide-react";
import { useState } from "react";
import { api, unwrap, type LoggedRun } from "@/api";
import { dateText, moneyText, moneyTone, plain, PopOver, signed, tellAll } from "@/ui";
import { ROW } from "./Channel";

interface RunRowProps {
  run: LoggedRun;
  isChosen: boolean;
  engine: string | undefined;
  onChoose: () => void;
  onReport: () => void;
  onWork: () => void;
  onAgainst: () => void;
  onDelete: () => void;
}

/** A kept run in one line: what it was changed from, what it came to, what was noted. */
export function RunRow({ run, isChosen, engine, onChoose, onReport, onWork, onAgainst, onDelete }: RunRowProps) {
  const note = useNote(run.number);
  const ratio = run.return_over_drawdown;
  const isOther = engine !== undefined && run.engine_version !== engine;
  return (
    <tr
      className={`border-b border-line ${isChosen ? "bg-shallow" : ""}`}
      style={{ height: ROW }}
      data-run={run.number}
    >
      <td className="w-7 pl-2">
        <input
          type="checkbox"
          className="accent-base-content"
          aria-label={`Choose run ${run.number} to compare`}
          checked={isChosen}
          onChange={onChoose}
        />
      </td>
      <td className="num pr-2 text-right font-semibold">{run.number}</td>
      <td className="pr-2 whitespace-nowrap text-soft">{dateText(run.created).replace(/ \d{4}$/, "")}</td>
      <td className="w-6">
        <button
          type="button"
          className="cursor-pointer align-middle"
          aria-label={`Star run ${run.number}`}
          aria-pressed={run.star}
          onClick={() => note.mutate({ star: !run.star })}
        >
          <Star
            size={15}
            strokeWidth={1.5}
            className="text-brass"
            fill={run.star ? "currentColor" : "none"}
            aria-hidden
          />
        </button>
      </td>
      <th scope="row" className="max-w-[170px] pr-2 text-left font-normal">
        <PopOver
          face={
            <span className="block min-w-0 text-left leading-4">
              <span className="block max-w-[160px] truncate font-semibold">
                {run.title || "untitled"}{" "}
                {run.version !== null && <span className="font-normal text-soft">v{run.version}</span>}
              </span>
              <span className="block truncate text-note text-soft">
                {run.place} at {run.timeframe}
              </span>
            </span>
          }
          title={`What can be done with run ${run.number}`}
          className="cursor-pointer hover:underline"
        >
          {(close) => (
            <span className="flex flex-col items-stretch p-2 whitespace-nowrap">
              {[
                { name: "Report", act: onReport },
                { name: "Work on it", act: onWork },
                { name: "Compare others with it", act: onAgainst },
                { name: "Delete", act: onDelete },
              ].map(({ name, act }) => (
                <button
                  key={name}
                  type="button"
                  className="cursor-pointer px-2 py-1 text-left hover:underline"
                  onClick={() => (close(), act())}
                >
                  {name}
                </button>
              ))}
              {isOther && (
                <span className="max-w-64 px-2 py-1 text-note whitespace-normal text-brass">
                  It was run by Skelb {run.engine_version}; its report runs it again by {engine}.
                </span>
              )}
            </span>
          )}
        </PopOver>
      </th>
      <td className="max-w-[230px] truncate pr-2" title={run.change}>
        {run.change === "first kept" ? <i className="text-soft">{run.change}</i> : run.change}
      </td>
      <td className="w-24 pr-2">
        <Small values={run.equity} />
      </td>
      <td className={`num pr-3 text-right font-semibold ${moneyTone(run.net_profit)}`}>
        {run.net_profit === null ? "–" : moneyText(run.net_profit)}
      </td>
      <td className="num pr-3 text-right whitespace-nowrap">
        {ratio === null ? "–" : plain(ratio, 2)}{" "}
        <Change now={ratio} before={run.parent_return_over_drawdown} digits={2} isGood />
      </td>
      <td className="num pr-3 text-right whitespace-nowrap">
        {run.trades === null ? "–" : plain(run.trades, 0)}{" "}
        <Change now={run.trades} before={run.parent_trades} digits={0} />
      </td>
      <td className="max-w-[180px] pr-2">
        <NoteEditor run={run} onNote={note.mutate} error={note.error?.message ?? null} />
      </td>
    </tr>
  );
}

interface Noted {
  star?: boolean;
  tags?: string[];
  note?: string;
}

function useNote(number: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Noted) =>
      unwrap(
        api
          .PUT("/api/runs/{number}/note", { params: { path: { number } }, body })
          .then(({ error, response }) => ({ data: response.ok ? true : undefined, error })),
      ),
    onSuccess: () => {
      tellAll(`Run ${number} is noted.`);
      return client.invalidateQueries({ queryKey: ["runs", "log"] });
    },
  });
}

function Change({
  now,
  before,
  digits,
  isGood = false,
}: {
  now: number | null;
  before: number | null;
  digits: number;
  isGood?: boolean;
}) {
  if (now === null || before === null) return null;
  const change = now - before;
  return <span className={`text-note ${isGood ? moneyTone(change) : "text-soft"}`}>({signed(change, digits)})</span>;
}

function NoteEditor({ run, onNote, error }: { run: LoggedRun; onNote: (noted: Noted) => void; error: string | null }) {
  return (
    <PopOver
      face={
        <span className="block max-w-[170px] min-w-10 text-left leading-4">
          <span className="block truncate text-note underline decoration-brass">{run.tags.join(", ")}</span>{" "}
          <span className="block truncate text-note italic">
            {run.note || (run.tags.length === 0 && <span className="text-soft">note…</span>)}
          </span>
        </span>
      }
      label={[`Tags and note of run ${run.number}`, run.tags.join(", "), run.note].filter(Boolean).join(" ")}
      title={run.note || "Tags and note"}
      className="cursor-pointer"
      side="right"
    >
      {(close) => <NoteForm run={run} error={error} onDone={(noted) => (onNote(noted), close())} />}
    </PopOver>
  );
}

function NoteForm({ run, error, onDone }: { run: LoggedRun; error: string | null; onDone: (noted: Noted) => void }) {
  const [tags, setTags] = useState(run.tags.join(", "));
  const [note, setNote] = useState(run.note);
  return (
    <form
      className="flex w-72 flex-col gap-2 p-3"
      onSubmit={(event) => {
        event.preventDefault();
        onDone({
          tags: tags
            .split(",")
            .map((tag) => tag.trim())
            .filter(Boolean),
          note: note.trim(),
        });
      }}
    >
      <label className="flex flex-col text-note">
        Tags, apart by commas
        <input
          className="field"
          value={tags}
          maxLength={480}
          autoFocus
          onChange={(event) => setTags(event.target.value)}
        />
      </label>
      <label className="flex flex-col text-note">
        Note
        <textarea
          className="field h-20"
          value={note}
          maxLength={1000}
          onChange={(event) => setNote(event.target.value)}
        />
      </label>
      {error && <span className="text-note text-loss">{error}</span>}
      <button type="submit" className="main-button self-start !py-0">
        Keep the note
      </button>
    </form>
  );
}

/** A small drawing of equity: where it began is dotted. */
function Small({ values }: { values: number[] }) {
  if (values.length < 2) return null;
  const low = Math.min(...values);
  const high = Math.max(...values);
  const y = (value: number) => 24 - (22 * (value - low)) / (high - low || 1);
  const points = values.map((value, place) => `${(84 * place) / (values.length - 1)},${y(value)}`);
  return (
    <svg viewBox="0 0 88 26" className="h-[26px] w-[88px]" aria-hidden>
      <path d={`M0 ${y(values[0]!)}H84`} stroke="var(--soft)" strokeDasharray="1 3" />
      <polyline points={points.join(" ")} fill="none" stroke="var(--ink)" strokeWidth="1.2" />
      <circle
        cx="84"
        cy={y(values.at(-1)!)}
        r="2"
        fill={values.at(-1)! >= values[0]! ? "var(--gain)" : "var(--loss)"}
      />
    </svg>
  );
}
