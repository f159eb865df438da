import type { Report } from "@/api";
import { moneyText, moneyTone, plain, signed } from "@/ui";
import { MONTHS, shade, type Acts } from "./model";
import { Section } from "./Section";

const share = (value: number | null) => (value === null ? "–" : `${signed(value * 100, 1)} %`);

/** Months by years: what the trades that ended in them came to, and what equity did in every year. */
export function Months({ report, onShow }: { report: Report } & Acts) {
  const most = Math.max(...report.months.map((month) => Math.abs(month.net_profit)), 0);
  const won = report.months.filter((month) => month.net_profit > 0).length;
  const lost = report.months.filter((month) => month.net_profit < 0).length;
  const worst = report.months.reduce(
    (low, month) => (month.net_profit < low.net_profit ? month : low),
    report.months[0]!,
  );
  return (
    <Section name="Months" said="net of the trades that ended in them; a year with the return of its equity">
      <table className="num w-full text-small whitespace-nowrap" data-testid="months">
        <thead>
          <tr className="text-soft">
            <td />
            {MONTHS.map((name) => (
              <th key={name} scope="col" className="px-1 text-right font-sans font-normal italic">
                {name}
              </th>
            ))}
            {["year", "return", "drawdown", "trades"].map((name) => (
              <th key={name} scope="col" className="px-1 text-right font-sans font-normal italic">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {report.years.map((year) => (
            <tr key={year.year}>
              <th scope="row" className="pr-1 text-left font-semibold">
                {year.year}
              </th>
              {MONTHS.map((name, place) => {
                const month = report.months.find((item) => item.year === year.year && item.month === place + 1);
                if (!month) return <td key={name} />;
                const text = month.trades === 0 ? "–" : signed(month.net_profit, 0);
                const from = Date.UTC(year.year, place, 1) / 1000;
                return (
                  <td
                    key={name}
                    className="border border-line p-0 text-right"
                    style={{ background: shade(month.net_profit, most) }}
                    title={`${name} ${year.year}: equity ${share(month.return)}, deepest fall ${plain(month.max_drawdown, 0)}, ${month.trades} trades`}
                  >
                    {onShow ? (
                      <button
                        type="button"
                        className="w-full cursor-pointer px-[2px] py-[3px] text-right"
                        onClick={() => onShow(from, Date.UTC(year.year, place + 1, 1) / 1000)}
                      >
                        {text}
                      </button>
                    ) : (
                      <span className="px-1">{text}</span>
                    )}
                  </td>
                );
              })}
              <td className={`px-1 text-right font-semibold ${moneyTone(year.net_profit)}`}>
                {moneyText(year.net_profit)}
              </td>
              <td className="px-1 text-right">{share(year.return)}</td>
              <td className="px-1 text-right">{plain(year.max_drawdown, 0)}</td>
              <td className="px-1 text-right">{plain(year.trades, 0)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {worst && (
        <p className="mt-1 text-note text-soft">
          {won} months earned, {lost} lost, {report.months.length - won - lost} had no trade or came to nothing
          {worst.net_profit < 0 && (
            <>
              ; the worst was {MONTHS[worst.month - 1]} {worst.year} with{" "}
              <span className="num text-loss">{moneyText(worst.net_profit)}</span>
            </>
          )}
          .
        </p>
      )}
    </Section>
  );
}
