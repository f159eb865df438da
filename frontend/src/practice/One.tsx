import { useQuery } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import type { PracticeLine, PracticeShown } from "@/api";
import { durationText, Loading, moneyText, moneyTone, OneStop, Picker, plain, signed, timeText, Trouble } from "@/ui";
import { Bands } from "./Bands";
import { digitsOf, PACES, pennants, placeText, SIGNS, STATES, type PracticeProps } from "./model";
import { Picture } from "./Picture";
import { Sending } from "./Sending";
import { eventsQuery, practiceQuery, usePractices } from "./queries";

interface OneProps extends PracticeProps {
  number: number;
  /** Which of its markets is in view; the first where none is named. */
  market: string | undefined;
  lines: PracticeLine[];
}

/** One practice: its chart, what it would do next, how it stands, what happened, whether it is still the same. */
export function One({ number, market, lines, onState, onReport }: OneProps) {
  const found = useQuery(practiceQuery(number, market));
  const { act, pace } = usePractices();
  const shown = found.data;
  useEffect(() => {
    if (shown) document.title = `${shown.line.title} on ${placeText(shown.line)} · Practice · Skelb`;
  }, [shown]);
  if (found.error)
    return (
      <Trouble error={found.error.message}>
        <button type="button" className="plain-button my-2" onClick={() => onState({ all: true })}>
          All practices
        </button>
      </Trouble>
    );
  if (!shown) return <Loading what="Going through its bars" />;
  const { line } = shown;
  const isRunning = line.state === "running";
  const failed = act.error ?? pace.error;
  return (
    <section className="flex h-full flex-col" aria-label={`Practice of ${line.title}`}>
      <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-2 border-b border-line px-4 py-1 text-sentence text-soft">
        <h1 className="font-normal">
          Practise{" "}
          <Picker
            label="Practice"
            value={String(number)}
            options={lines.map((item) => ({
              value: String(item.number),
              label: `${item.title}${item.version === null ? "" : ` v${item.version}`}, ${placeText(item)} (${item.number})`,
            }))}
            onChange={(next) => onState({ practice: Number(next) })}
          />{" "}
          on <Word>{placeText(line)}</Word> at <Word>{line.timeframe}</Word> with <Word>{line.account}</Word>, fed by{" "}
          <Word>{line.feed}</Word>
          {shown.pace !== null && (
            <>
              ,{" "}
              <Picker
                label="Pace"
                value={String(shown.pace)}
                options={[
                  ...(PACES.some((item) => item.value === String(shown.pace))
                    ? []
                    : [{ value: String(shown.pace), label: `${plain(shown.pace, 0)} × real pace` }]),
                  ...PACES,
                ]}
                onChange={(next) => pace.mutate({ number, pace: Number(next) })}
              />
            </>
          )}
        </h1>
        <span className="ml-auto flex gap-2 text-body">
          <button type="button" className="plain-button" onClick={() => onState({ all: true })}>
            All practices
          </button>
          {isRunning ? (
            <>
              <button
                type="button"
                className="plain-button"
                disabled={act.isPending}
                onClick={() => act.mutate({ number, what: "pause" })}
              >
                Pause
              </button>
              <button
                type="button"
                className="main-button"
                disabled={act.isPending}
                onClick={() => act.mutate({ number, what: "stop" })}
              >
                Stop
              </button>
            </>
          ) : (
            <button
              type="button"
              className="main-button"
              disabled={act.isPending}
              onClick={() => act.mutate({ number, what: "go-on" })}
            >
              Go on
            </button>
          )}
        </span>
      </header>
      {failed && <Trouble error={failed.message} />}
      {line.state === "failed" && <Trouble error={`It failed: ${line.message}`} />}
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1 flex-col overflow-auto border-r border-line">
          <Clock shown={shown} onMarket={(next) => onState({ practice: number, market: next })} />
          <div className="min-h-[300px] flex-1">
            <Picture shown={shown} />
          </div>
          <Bands shown={shown} />
        </div>
        <div
          className="w-[320px] flex-none overflow-auto bg-base-100"
          tabIndex={0}
          role="region"
          aria-label="How it stands"
        >
          <Markets shown={shown} onMarket={(next) => onState({ practice: number, market: next })} />
          <Next shown={shown} />
          <Position shown={shown} />
          <Happened shown={shown} number={number} />
          <Section title="Sent on">
            <Sending shown={shown} number={number} />
          </Section>
          <Origin shown={shown} onReport={onReport} />
        </div>
      </div>
    </section>
  );
}

const Word = ({ children }: { children: ReactNode }) => (
  <span className="font-semibold text-base-content">{children}</span>
);

interface ViewProps {
  shown: PracticeShown;
  onMarket: (market: string) => void;
}

/** Which market is in view, what time it is for the feed, and how long the strategy has been in practice. */
function Clock({ shown, onMarket }: ViewProps) {
  const { line, zone, clock, closes } = shown;
  const weeks = Math.max(0, (clock - line.since) / (7 * 86_400));
  const awaited = shown.markets.filter((item) => item.is_awaited).map((item) => item.market);
  const played = weeks >= 2 ? `${plain(weeks, 0)} weeks` : `${plain(weeks * 7, 0)} days`;
  return (
    <p className="flex flex-none flex-wrap gap-x-4 border-b border-line px-4 py-2" data-testid="clock">
      {shown.markets.length > 1 && (
        <Picker
          label="Market in view"
          value={shown.market}
          options={shown.markets.map((item) => ({ value: item.market, label: item.market }))}
          onChange={onMarket}
        />
      )}
      <span>
        <b className="num">{timeText(clock, zone, "full")}</b>{" "}
        <span className="text-soft">
          {line.state === "running" ? "by the feed" : (STATES[line.state] ?? line.state)}
          {closes !== null && (
            <>
              ; a bar is forming and closes at <b className="num">{timeText(closes, zone, "time")}</b>
              {closes > clock && ` in ${durationText(closes - clock)}`}
            </>
          )}
          {awaited.length > 0 &&
            line.state === "running" &&
            `; waits for ${awaited.join(", ")}, which may have a bar more to say`}
          {line.message && line.state !== "failed" && `; ${line.message}`}
        </span>
      </span>
      <span className="ml-auto text-soft">
        {played} since {timeText(line.since, zone, "full")}
      </span>
    </p>
  );
}

function Section({ title, said, children }: { title: string; said?: string; children: ReactNode }) {
  return (
    <div className="border-b border-line px-4 py-3">
      <h2 className="pb-1 font-semibold">
        {title} {said && <span className="ml-1 text-note font-normal text-soft">{said}</span>}
      </h2>
      {children}
    </div>
  );
}

/** How each market of a basket stands; a press has it in view. */
function Markets({ shown, onMarket }: ViewProps) {
  if (shown.markets.length < 2) return null;
  const isOpen = shown.markets.some((item) => item.position !== 0);
  const floating = shown.markets.reduce((sum, item) => sum + item.floating, 0);
  return (
    <Section title="Markets" said="one account">
      <OneStop>
        <table className="num w-full text-note" data-testid="practised">
          <thead>
            <tr className="font-sans text-soft">
              {["market", "position", "floating", "trades", "net"].map((name, place) => (
                <th
                  key={name}
                  scope="col"
                  title={
                    name === "floating"
                      ? "Before costs"
                      : name === "net"
                        ? "After costs, of trades that ended"
                        : undefined
                  }
                  className={`font-normal ${place === 0 ? "text-left" : "text-right"}`}
                >
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.markets.map((item) => (
              <tr key={item.market} className="border-t border-line">
                <th
                  scope="row"
                  className={`border-l-2 py-[2px] pl-1 text-left ${item.market === shown.market ? "border-long font-semibold" : "border-transparent font-normal"}`}
                >
                  <button
                    type="button"
                    className="cursor-pointer text-long hover:underline"
                    aria-pressed={item.market === shown.market}
                    onClick={() => onMarket(item.market)}
                  >
                    {item.market}
                  </button>
                </th>
                <td className={`text-right ${item.position > 0 ? "text-long" : item.position < 0 ? "text-short" : ""}`}>
                  {item.position === 0 ? "flat" : signed(item.position, item.position % 1 ? 4 : 0)}
                </td>
                <td className={`text-right ${moneyTone(item.floating)}`}>
                  {item.position === 0 ? "" : moneyText(item.floating)}
                </td>
                <td className="text-right">{item.trades}</td>
                <td className={`text-right ${moneyTone(item.net)}`}>{moneyText(item.net)}</td>
              </tr>
            ))}
            <tr className="border-t border-line font-semibold">
              <th scope="row" className="py-[2px] pl-1.5 text-left font-sans font-normal text-soft">
                all
              </th>
              <td />
              <td className={`text-right ${moneyTone(floating)}`}>{isOpen && moneyText(floating)}</td>
              <td className="text-right">{shown.line.trades}</td>
              <td className={`text-right ${moneyTone(shown.line.net)}`}>{moneyText(shown.line.net ?? 0)}</td>
            </tr>
          </tbody>
        </table>
      </OneStop>
    </Section>
  );
}

const SOON_S = 12 * 3600; // from then on a time needs its day

/** Sentences of what would happen at the next close: they are what one looks for. */
function Next({ shown }: { shown: PracticeShown }) {
  const { next, zone } = shown;
  return (
    <Section title="What it would do next" said={shown.markets.length > 1 ? `on ${shown.market}` : undefined}>
      {next.length === 0 && <p className="text-soft">Nothing: no rule is asked as things stand.</p>}
      {next.map((step, place) => (
        <div key={place} className="pb-2" data-testid="next">
          <p>
            at <b className="num">{timeText(step.time, zone, step.time - shown.clock < SOON_S ? "time" : "full")}</b>,
            if{" "}
            <b className={step.side === "short" ? "text-short" : step.side === "long" ? "text-long" : ""}>
              {step.name}
            </b>{" "}
            is yes: {step.act}
          </p>
          {step.holds === true ? (
            <p className="text-gain">✓ it is yes as things stand</p>
          ) : (
            step.lacks.length > 0 && (
              <p className="text-soft">
                {step.holds === null ? "unknown: " : "lacks "}
                {step.lacks.map((lack, at) => (
                  <span key={at}>
                    {at > 0 && (at === step.lacks.length - 1 ? " and " : ", ")}
                    <span className="num border-b border-dotted border-loss text-base-content">{lack.text}</span>
                    {lack.worth && <span className="num">: {lack.worth}</span>}
                  </span>
                ))}
              </p>
            )
          )}
        </div>
      ))}
    </Section>
  );
}

function Position({ shown }: { shown: PracticeShown }) {
  const { held, zone, tick } = shown;
  const on = shown.markets.length > 1 ? `on ${shown.market}` : undefined;
  if (!held)
    return (
      <Section title="Position" said={on}>
        <p className="text-soft">Flat.</p>
      </Section>
    );
  const digits = digitsOf(tick);
  const rows: [string, string, string?][] = [
    ["bars held", plain(held.bars_held, 0)],
    ["floating, before costs", moneyText(held.floating), moneyTone(held.floating)],
    ["costs so far", moneyText(held.costs), moneyTone(held.costs)],
    ...(held.r === null
      ? []
      : [["after costs, in R", `${signed(held.r, 2)} R`, moneyTone(held.r)] as [string, string, string]]),
    ...(held.stop === null ? [] : [["stop", plain(held.stop, digits)] as [string, string]]),
    ...(held.target === null ? [] : [["target", plain(held.target, digits)] as [string, string]]),
  ];
  return (
    <Section title="Position" said={on}>
      <p className="pb-1">
        <b className={held.side === "long" ? "text-long" : "text-short"}>
          {held.side === "long" ? "Long" : "Short"} {plain(held.units, held.units % 1 ? 4 : 0)}
        </b>{" "}
        at <span className="num">{plain(held.price, digits)}</span> since {timeText(held.since, zone, "full")}
      </p>
      <dl data-testid="position">
        {rows.map(([name, value, tone]) => (
          <div key={name} className="flex justify-between border-b border-line py-[2px]">
            <dt className="text-soft">{name}</dt>
            <dd className={`num font-semibold ${tone ?? ""}`}>{value}</dd>
          </div>
        ))}
      </dl>
    </Section>
  );
}

const FIRST_EVENTS = 12;
const MANY = 500;

/** What happened, newest first; those in the picture carry their pennant's number. */
function Happened({ shown, number }: { shown: PracticeShown; number: number }) {
  const [isAll, setAll] = useState(false);
  const all = useQuery({ ...eventsQuery(number, MANY), enabled: isAll });
  const numbers = pennants(shown);
  const events = isAll && all.data ? all.data : shown.events.slice(0, FIRST_EVENTS);
  const older = shown.event_count - events.length;
  return (
    <Section title="What happened" said={`${shown.event_count.toLocaleString("en")} in all`}>
      {shown.event_count === 0 && <p className="text-soft">Nothing yet.</p>}
      <ol data-testid="events">
        {events.map((event) => {
          const { sign, tone } = SIGNS[event.kind] ?? SIGNS.alert!;
          return (
            <li key={event.id} className="flex gap-2 border-b border-line py-1">
              <span className={`num w-6 flex-none text-center ${tone}`} title={event.kind}>
                {numbers.get(event.id) ?? sign}
              </span>
              <span className="min-w-0">
                {shown.markets.length > 1 && event.market && <b className="mr-1 font-semibold">{event.market}</b>}
                <span className="break-words">{event.text}</span>
                <span className="num block text-note text-soft">
                  {timeText(event.time, shown.zone, "full")} · {event.kind}
                  {event.sent === "sent" && <span className="text-gain"> · webhook ✓</span>}
                  {event.sent === "due" && event.tries > 0 && (
                    <span className="text-loss"> · webhook ✕ {event.answer}</span>
                  )}
                </span>
              </span>
            </li>
          );
        })}
      </ol>
      {older > 0 && !isAll && (
        <button type="button" className="mt-1 cursor-pointer text-long underline" onClick={() => setAll(true)}>
          {older.toLocaleString("en")} older
        </button>
      )}
      <Troubles shown={shown} />
    </Section>
  );
}

/** What of the feed was not taken. */
function Troubles({ shown }: { shown: PracticeShown }) {
  const { late, corrected, doubled, gaps, refused, lost, last } = shown.troubles;
  const told = [
    late && `${late} late`,
    corrected && `${corrected} corrected`,
    doubled && `${doubled} twice`,
    gaps && `${gaps} missing`,
    refused && `${refused} not understood`,
    lost && `lost ${lost} times`,
  ].filter(Boolean);
  if (told.length === 0 && !last) return null;
  return (
    <p className="pt-2 text-note text-brass" data-testid="troubles" title={last}>
      {told.length > 0 && `Of the feed, what changed nothing: ${told.join(", ")}. `}
      {last}
    </p>
  );
}

function Origin({ shown, onReport }: { shown: PracticeShown; onReport: (run: number) => void }) {
  if (shown.run === null) return null;
  return (
    <p className="px-4 py-3 text-soft">
      It comes from the backtest over the bars before,{" "}
      <button type="button" className="cursor-pointer text-long underline" onClick={() => onReport(shown.run!)}>
        kept run {shown.run}
      </button>
      .
    </p>
  );
}
