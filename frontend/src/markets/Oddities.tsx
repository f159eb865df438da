import type { ReactNode } from "react";
import type { Oddity } from "@/api";
import { plain, timeText } from "@/ui";

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
  oddities: Oddity[];
  timeframe: string;
  zone: string;
  /** Open the workbench there. */
  onShow: (place: OddPlace) => void;
}

/** What of the stored bars deserves a look before a result is believed: each kind, when, and its greatest places. */
export function Oddities({ oddities, timeframe, zone, onShow }: Props) {
  return (
    <section aria-label="What is odd about the bars">
      <h2>What is odd about the {timeframe} bars</h2>
      {oddities.length === 0 && (
        <p className="text-soft">
          No gaps inside a session, no spikes, no bars outside it, without range or without volume.
        </p>
      )}
      {oddities.map((oddity) => {
        const kind = KINDS[oddity.kind];
        return (
          <details key={oddity.kind} className="border-b border-line py-2" data-testid={`odd-${oddity.kind}`}>
            <summary className="flex cursor-pointer items-center gap-3">
              <svg viewBox="0 0 16 16" className="h-4 w-4 flex-none" fill="none" stroke="var(--brass)" aria-hidden>
                {kind.sign}
              </svg>
              <span className="flex-1">
                {kind.what(plain(oddity.count, 0)).replace(/^1 (\w+?)s\b/, "1 $1")}
                <span className="text-soft">
                  {", most: "}
                  {kind.size(oddity.places[0]!.size)}
                </span>
              </span>
              <When slices={oddity.slices} />
            </summary>
            <p className="my-1 text-note text-soft">{kind.means}</p>
            <ul className="text-note">
              {oddity.places.map((place) => (
                <li key={place.begins} className="flex gap-3 leading-6">
                  <span className="num w-40">{timeText(place.begins, zone, "full")}</span>
                  <span className="flex-1 text-soft">{kind.size(place.size)}</span>
                  {oddity.kind !== "outside" && (
                    <button
                      type="button"
                      className="cursor-pointer text-long hover:underline"
                      aria-label={`Show ${timeText(place.begins, zone, "full")}`}
                      onClick={() => onShow(place)}
                    >
                      show
                    </button>
                  )}
                </li>
              ))}
            </ul>
          </details>
        );
      })}
    </section>
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
