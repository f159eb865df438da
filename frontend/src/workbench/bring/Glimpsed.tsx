import { useMemo } from "react";
import { dateText, Loading, moneyText, moneyTone, Said, Trouble, useSize } from "@/ui";
import { stripSvg } from "./stripSvg";
import type { Ran } from "./useGlimpse";

const HEIGHT = 104;

/** What the text at the right does as it stands: the bars around its newest trades, and what came of all of them. */
export function Glimpsed({ ran, isOld }: { ran: Ran; isOld: boolean }) {
  const { host, width } = useSize<HTMLDivElement>({ width: 300, height: HEIGHT });
  const { data } = ran;
  const svg = useMemo(() => (data ? stripSvg(data, width, HEIGHT) : ""), [data, width]);
  const isBehind = isOld || ran.isPlaceholderData;
  return (
    <div className="flex h-[132px] flex-none border-t border-line" aria-busy={isBehind || ran.isPending}>
      <div ref={host} className={`min-w-0 flex-1 overflow-hidden px-4 py-1 ${isBehind ? "opacity-50" : ""}`}>
        {data ? (
          <>
            <p className="num text-note text-soft">
              <b className="text-base-content">
                {data.picture.symbol} {data.picture.timeframe}
              </b>{" "}
              {dayOf(data.picture.time[0])} to {dayOf(data.picture.time.at(-1))}
            </p>
            <div dangerouslySetInnerHTML={{ __html: svg }} />
          </>
        ) : (
          !ran.error && <Loading what="Running it" />
        )}
      </div>
      <div className="w-[300px] flex-none border-l border-line px-4 py-2" data-testid="brought-run">
        <h2 className="font-semibold">
          {ran.error ? "It does not run here" : isBehind ? "Running it…" : "It already runs"}
        </h2>
        {ran.error && <Trouble error={ran.error.message} />}
        {data &&
          !ran.error &&
          (data.trades === null ? (
            <p className="text-soft">It draws; rules that enter are not in it.</p>
          ) : (
            <dl className={isBehind ? "text-soft italic" : ""}>
              <div className="flex justify-between border-b border-line py-[3px]">
                <dt className="text-soft">
                  trades, {dateText(data.from_date)} to {dateText(data.to_date)}
                </dt>
                <dd className="num font-semibold">{data.trades.toLocaleString("en")}</dd>
              </div>
              <div className="flex justify-between border-b border-line py-[3px]">
                <dt className="text-soft">net of all trades</dt>
                <dd className={`num font-semibold ${moneyTone(data.net)}`}>{moneyText(data.net ?? 0)}</dd>
              </div>
            </dl>
          ))}
        {data && !ran.error && data.finding && (
          <p className="line-clamp-3 pt-1 text-note leading-4 text-brass" title={data.finding}>
            <Said text={data.finding} />
          </p>
        )}
      </div>
    </div>
  );
}

const dayOf = (time: number | undefined) => dateText(new Date((time ?? 0) * 1000).toISOString().slice(0, 10));
