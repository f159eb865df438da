import type { PracticeShown } from "@/api";
import { moneyText, plain } from "@/ui";
import { BANDS } from "./model";

type Band = PracticeShown["drift"]["bands"][number];

/** Whether it is still the same strategy: each figure's dot in the band that the backtest gives, and the verdict. */
export function Bands({ shown }: { shown: PracticeShown }) {
  const { drift, fewest_trades: fewest } = shown;
  return (
    <div className="flex-none border-t border-line bg-base-100 px-4 py-3" data-testid="drift">
      <h2 className="pb-2 font-semibold">Is it still the same strategy?</h2>
      <div className="grid grid-cols-4 gap-6">
        {drift.bands.map((band) => (
          <OneBand key={band.key} band={band} />
        ))}
      </div>
      <p className="flex flex-wrap items-center gap-x-4 border-t border-line pt-2 mt-2">
        <b className="font-semibold">{drift.verdict}</b>
        <span className="ml-auto flex items-center gap-2" aria-hidden>
          <span className="flex gap-px">
            {Array.from({ length: fewest }, (_, place) => (
              <span
                key={place}
                className={`h-[9px] w-[5px] ${place < drift.trades ? "bg-base-content" : "bg-base-300"}`}
              />
            ))}
          </span>
          <span className="num text-note text-soft">
            {drift.trades} of {fewest}
          </span>
        </span>
      </p>
      <p className="text-note text-soft">
        Band: where nine in ten draws of {drift.trades} from the backtest's {drift.tested.toLocaleString("en")} trades
        lie. ● practice, dashed the backtest.
      </p>
    </div>
  );
}

const WIDTH = 200;

function OneBand({ band }: { band: Band }) {
  const said = BANDS[band.key] ?? { name: band.key, unit: "", digits: 2, meaning: "" };
  const text = (value: number) => (band.key === "average_trade" ? moneyText(value) : plain(value, said.digits));
  const { low, middle, high, value } = band;
  const isOutside = value !== null && low !== null && high !== null && (value < low || value > high);
  const x =
    low === null || high === null
      ? null
      : (at: number) => {
          const room = (high - low || Math.abs(high) || 1) * 0.45;
          const share = (at - (low - room)) / (high - low + 2 * room);
          return Math.max(4, Math.min(WIDTH - 4, share * WIDTH));
        };
  return (
    <figure title={said.meaning} data-band={band.key}>
      <figcaption>
        <span className="text-soft italic">{said.name}</span>
        <span className={`num block text-figure font-semibold ${isOutside ? "text-loss" : ""}`}>
          {value === null ? "none yet" : text(value) + said.unit}
          {isOutside && <span className="ml-2 text-note">outside</span>}
        </span>
      </figcaption>
      {x === null || low === null || high === null || middle === null ? (
        <p className="text-note text-soft">too few to say</p>
      ) : (
        <>
          <svg viewBox={`0 0 ${WIDTH} 18`} width="100%" aria-hidden>
            <line x1="0" x2={WIDTH} y1="9" y2="9" stroke="var(--soft)" strokeWidth="0.7" />
            <rect x={x(low)} width={Math.max(1, x(high) - x(low))} y="4" height="10" fill="var(--shallow)" />
            <line x1={x(low)} x2={x(low)} y1="2" y2="16" stroke="var(--long)" />
            <line x1={x(high)} x2={x(high)} y1="2" y2="16" stroke="var(--long)" />
            <line x1={x(middle)} x2={x(middle)} y1="3" y2="15" stroke="var(--long)" strokeDasharray="2 2" />
            {value !== null && <circle cx={x(value)} cy="9" r="4.5" fill="var(--ink)" stroke="var(--paper)" />}
          </svg>
          <p className="num flex justify-between text-note text-soft">
            <span>{text(low)}</span>
            <span className="text-long">{text(middle)}</span>
            <span>{text(high)}</span>
          </p>
        </>
      )}
    </figure>
  );
}
