import type { Report } from "@/api";
import { dateText, moneyText, OneStop, plain } from "@/ui";
import type { Acts } from "./model";

const dayText = (moment: number) => dateText(new Date(moment * 1000).toISOString());

const daysText = (seconds: number) => {
  const days = Math.max(1, Math.round(seconds / 86_400));
  return days === 1 ? "1 day" : `${plain(days, 0)} days`;
};

/** The deepest falls of equity, one by one: how deep each was, and how long it took to be made good. */
export function Falls({ report, onShow }: { report: Report } & Acts) {
  const { falls, times } = report.course;
  if (falls.length === 0) return null;
  const last = times.at(-1) ?? 0;
  return (
    <OneStop>
      <table className="mt-1 w-full text-left text-note" aria-label="The deepest falls of equity">
        <thead className="text-soft">
          <tr>
            {["Deepest falls", "of the peak", "peak", "deepest on", "made good", "took"].map((name, place) => (
              <th key={name} scope="col" className={`font-normal ${place < 2 ? "pr-3 text-right" : "px-2"}`}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {falls.map((fall, place) => (
            <tr key={fall.bottom} className="border-t border-line">
              <th scope="row" className="num pr-3 text-right font-normal">
                {onShow ? (
                  <button
                    type="button"
                    className="cursor-pointer text-loss underline decoration-dotted"
                    aria-label={`${moneyText(-fall.money)}: show fall ${place + 1} on the chart`}
                    onClick={() => onShow(fall.peak, fall.recovered ?? last)}
                  >
                    {moneyText(-fall.money)}
                  </button>
                ) : (
                  <span className="text-loss">{moneyText(-fall.money)}</span>
                )}
              </th>
              <td className="num pr-3 text-right">{plain(fall.percent, 1)} %</td>
              <td className="px-2">{dayText(fall.peak)}</td>
              <td className="px-2">{dayText(fall.bottom)}</td>
              <td className="px-2">{fall.recovered === null ? "not yet" : dayText(fall.recovered)}</td>
              <td className="px-2">
                {daysText((fall.recovered ?? last) - fall.peak)}
                {fall.recovered === null && " so far"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </OneStop>
  );
}
