import type { ReactNode } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, marketsQuery, unwrap, type Market, type OddBars, type OddKind } from "@/api";
import { plain, tellAll, timeText, Trouble } from "@/ui";
import type { Settings } from "./description";

type Oddity = OddBars["oddities"][number];
export type OddPlace = Oddity["places"][number];

interface Kind {
  sign: ReactNode;
  what: (count: string) => string;
  size: (size: number) => string;
  means: string;
}

const inBars = (size: number) => (size === 1 ? "one bar" : `${plain(size, 0)} bars`);

const KINDS: Record<Oddity["kind"], Kind> = {
  gap: {
    sign: <path d="M1 8h4M11 8h4M5 4v8M11 4v8" />,
    what: (count) => `${count} gaps inside a session`,
    size: (minutes) => `${plain(minutes, 0)} minutes are missing`,
    means: "A stop or target that lay in between fills at the first price after it.",
  },
  absent: {
    sign: <path d="M2 3h12v10H2zM6 6l4 4M10 6l-4 4" />,
    what: (count) => `${count} days that other markets have`,
    size: (days) => (days === 1 ? "one day" : `${plain(days, 0)} days`),
    means:
      "At least two, and half of those that were open then, traded: a holiday of its own, or bars that are missing.",
  },
  outside: {
    sign: <path d="M3 2v12M8 5v6M12 5v6" />,
    what: (count) => `${count} bars outside the session`,
    size: inBars,
    means: "No run uses them. Where they are many, the session or the zone is another.",
  },
  spike: {
    sign: <path d="M1 12h5l2-10 2 10h5" />,
    what: (count) => `${count} spikes`,
    size: (times) => `${plain(times, 1)} × the usual range beyond both neighbours`,
    means: "A price that nobody may have had: a limit that only it reached earned nothing.",
  },
  level: {
    sign: <path d="M3 8h10" />,
    what: (count) => `${count} bars whose high is their low`,
    size: inBars,
    means: "Few is a quiet market. Many in a row: nothing traded, or the source repeats its last price.",
  },
  idle: {
    sign: <circle cx="8" cy="8" r="4.5" />,
    what: (count) => `${count} bars without volume`,
    size: inBars,
    means: "A fill there is one that the market did not have.",
  },
};

interface Props {
  odd: OddBars;
  market: Market;
  /** The description they are looked at with. */
  now: Settings;
  /** Open the workbench there. */
  onShow: (place: OddPlace) => void;
}

type Stretch = Partial<Pick<OddPlace, "begins" | "ends">>;

/** What of the stored bars deserves a look before a result is believed: each kind, when, and its greatest places; and
 * what of them is left out of every run. */
export function Oddities({ odd, market, now, onShow }: Props) {
  const { leaveOut, bringBack } = useLeavingOut(market, now);
  const timeframe = market.bars[0]!.timeframe;
  const when = (moment: number) => timeText(moment, market.settings.zone, "full");
  const error = leaveOut.error ?? bringBack.error;
  return (
    <section aria-label="What is odd about the bars">
      <h2>What is odd about the {timeframe} bars</h2>
      <p className="text-note text-soft">None is out of order or there twice: an import sees to that, and says so.</p>
      {error && <Trouble error={error.message} />}
      {odd.oddities.length === 0 && (
        <p className="text-soft">
          No gaps inside a session, no missing days, no spikes, no bars outside the session, without range or volume.
        </p>
      )}
      {odd.oddities.map((oddity) => {
        const kind = KINDS[oddity.kind];
        const leavable = canBeLeftOut(oddity.kind) ? oddity.kind : null;
        return (
          <details key={oddity.kind} className="border-b border-line py-2" data-testid={`odd-${oddity.kind}`}>
            <summary className="flex cursor-pointer items-center gap-3">
              <svg viewBox="0 0 16 16" className="h-4 w-4 flex-none" fill="none" stroke="var(--brass)" aria-hidden>
                {kind.sign}
              </svg>
              <span className="flex-1">
                {counted(kind.what, oddity.count)}
                <span className="text-soft">
                  {", most: "}
                  {kind.size(oddity.places[0]!.size)}
                </span>
              </span>
              <When slices={oddity.slices} />
            </summary>
            <p className="my-1 text-note text-soft">
              {kind.means}{" "}
              {leavable && (
                <Press
                  told={`Leave out all ${plain(oddity.count, 0)}`}
                  onPress={() => leaveOut.mutate({ kind: leavable })}
                >
                  leave out {oddity.count === 1 ? "the one" : `all ${plain(oddity.count, 0)}`}
                </Press>
              )}
            </p>
            <ul className="text-note">
              {oddity.places.map((place) => (
                <li key={place.begins} className="flex gap-3 leading-6">
                  <span className="num w-40">{when(place.begins)}</span>
                  <span className="flex-1 text-soft">{kind.size(place.size)}</span>
                  {oddity.kind !== "outside" && (
                    <Press told={`Show ${when(place.begins)}`} onPress={() => onShow(place)}>
                      show
                    </Press>
                  )}
                  {leavable && (
                    <Press
                      told={`Leave out ${when(place.begins)}`}
                      onPress={() => leaveOut.mutate({ kind: leavable, begins: place.begins, ends: place.ends })}
                    >
                      leave out
                    </Press>
                  )}
                </li>
              ))}
            </ul>
          </details>
        );
      })}
      {odd.left_out > 0 && (
        <details className="py-2" data-testid="left-out">
          <summary className="flex cursor-pointer items-center gap-3 text-brass">
            {counted((count) => `${count} bars left out`, odd.left_out)} of every run
          </summary>
          <p className="my-1 text-note text-soft">
            They stay stored, and every run says how many it did without.{" "}
            <Press told="Bring all back" onPress={() => bringBack.mutate({})}>
              bring all back
            </Press>
          </p>
          <ul className="text-note">
            {odd.stretches.map((stretch) => (
              <li key={stretch.begins} className="flex gap-3 leading-6">
                <span className="num w-40">{when(stretch.begins)}</span>
                <span className="flex-1 text-soft">{inBars(stretch.count)}</span>
                <Press
                  told={`Bring back ${when(stretch.begins)}`}
                  onPress={() => bringBack.mutate({ begins: stretch.begins, ends: stretch.ends })}
                >
                  bring back
                </Press>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

const canBeLeftOut = (kind: Oddity["kind"]): kind is OddKind =>
  kind !== "gap" && kind !== "absent" && kind !== "outside";
const counted = (what: (count: string) => string, count: number) =>
  what(plain(count, 0)).replace(/^1 (\w+?)s\b/, "1 $1");

/** Bars left out of every run, and brought back; the market is told anew with its next version of them. */
function useLeavingOut(market: Market, described: Settings) {
  const client = useQueryClient();
  const { symbol } = market;
  const isThere = (now: Market) => {
    client.setQueryData(marketsQuery.queryKey, (all) => all?.map((item) => (item.symbol === now.symbol ? now : item)));
    tellAll(`${plain(now.bars[0]?.left_out ?? 0, 0)} bars of ${symbol} are left out.`);
  };
  const leaveOut = useMutation({
    mutationFn: (of: Stretch & { kind: OddKind }) =>
      unwrap(api.POST("/api/markets/leave-out", { body: { symbol, described, ...of } })),
    onSuccess: isThere,
  });
  const bringBack = useMutation({
    mutationFn: (of: Stretch) => unwrap(api.POST("/api/markets/bring-back", { body: { symbol, ...of } })),
    onSuccess: isThere,
  });
  return { leaveOut, bringBack };
}

function Press({ told, onPress, children }: { told: string; onPress: () => void; children: ReactNode }) {
  return (
    <button type="button" className="cursor-pointer text-long hover:underline" aria-label={told} onClick={onPress}>
      {children}
    </button>
  );
}

const SLICE = 3;

/** How many there are along the stored time. */
function When({ slices }: { slices: number[] }) {
  const most = Math.max(...slices);
  return (
    <svg viewBox={`0 0 ${slices.length * SLICE} 20`} className="h-5 w-36 flex-none" aria-hidden>
      <path d={`M0 19.5H${slices.length * SLICE}`} stroke="var(--line)" />
      {slices.map((count, at) => {
        const height = count === 0 ? 0 : 2 + (17 * count) / most;
        return <rect key={at} x={at * SLICE} y={19 - height} width={SLICE - 1} height={height} fill="var(--brass)" />;
      })}
    </svg>
  );
}
