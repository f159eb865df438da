import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { ChallengeRules, ResampleKind } from "@/api";
import { Loading, Picker, plain, signed, Trouble } from "@/ui";
import type { DeskProps } from "../desk";
import { TrialHeader } from "../TrialHeader";
import { Fan } from "./Fan";
import { challengeQuery, resampleQuery } from "./queries";
import { Stress } from "./Stress";

type Props = Pick<DeskProps, "setup">;

const KINDS: { value: ResampleKind; label: string }[] = [
  { value: "bootstrap", label: "drawn again, with repeats" },
  { value: "blocks", label: "drawn again in stretches of ten" },
  { value: "shuffle", label: "the same in another order" },
  { value: "skip", label: "one in ten left out" },
  { value: "worsen", label: "each a little worse" },
];

/** One run doubted in every honest way. */
export function Doubt({ head, ...props }: DeskProps) {
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head}>Doubt {head.script} on {head.market} at {head.timeframe}</TrialHeader>
      <div className="min-h-0 flex-1 overflow-auto px-6 py-3">
        <Stress {...props} />
        <Resampling {...props} />
        <Challenge {...props} />
      </div>
    </section>
  );
}

function Resampling({ setup }: Props) {
  const [kind, setKind] = useState<ResampleKind>("bootstrap");
  const found = useQuery(resampleQuery(setup, kind));
  const names: [string, string][] = [["net", "Net"], ["drawdown", "Max drawdown"], ["over_drawdown", "Return / drawdown"], ["losing", "Longest losing run"]];
  return (
    <section aria-label="Resampling" className="border-b border-line py-4">
      <h2 className="text-base">
        Its trades, <Picker label="How the trades are drawn" value={kind} options={KINDS} onChange={(value) => setKind(value as ResampleKind)} />, a thousand times
      </h2>
      {found.isPending && <Loading what="Drawing" />}
      {found.error && <Trouble error={found.error.message} />}
      {found.data && (
        <div className="mt-2 flex flex-wrap items-start gap-8">
          <figure className="min-w-[420px] flex-1">
            <Fan found={found.data} />
            <figcaption className="text-[11.5px] text-soft">Equity after each trade: dashed the middle of the samples, dark half of them, light nine in ten.</figcaption>
          </figure>
          <div>
            <table className="num text-[12.5px]" data-testid="resampled">
              <thead>
                <tr className="border-b border-line font-sans text-soft italic">
                  <th scope="col" className="pr-6 text-left font-normal">
                    of the samples
                  </th>
                  {["the run", "5 %", "half", "95 %"].map((name) => (
                    <th key={name} scope="col" className="px-3 text-right font-normal">
                      {name}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {names.map(([key, name]) => {
                  const row = found.data.measures[key] ?? {};
                  const digits = key === "over_drawdown" ? 2 : 0;
                  return (
                    <tr key={key} className="border-b border-line">
                      <th scope="row" className="pr-6 text-left font-sans font-normal">
                        {name}
                      </th>
                      {["real", "p5", "p50", "p95"].map((cut) => (
                        <td key={cut} className={`px-3 text-right ${cut === "real" ? "font-semibold" : ""}`}>
                          {row[cut] === null || row[cut] === undefined ? "–" : key === "net" ? signed(row[cut], 0) : plain(row[cut], digits)}
                        </td>
                      ))}
                    </tr>
                  );
                })}
              </tbody>
            </table>
            <p className="mt-2 max-w-md text-soft">
              {plain((found.data.places.drawdown ?? 0) * 100, 0)} % of the samples had a deeper drawdown than the run. {plain((found.data.measures.ruined?.mean ?? 0) * 100, 1)} % were ruined. Drawdowns are counted at the ends of trades here, so the run&apos;s own is not the figure above.
            </p>
          </div>
        </div>
      )}
    </section>
  );
}

const FIELDS: { key: keyof ChallengeRules; label: string; unit: string }[] = [
  { key: "target", label: "reach", unit: "%" },
  { key: "daily_loss", label: "lose at most a day", unit: "%" },
  { key: "total_loss", label: "lose at most in all", unit: "%" },
  { key: "least_days", label: "not before day", unit: "" },
  { key: "most_days", label: "within trading days", unit: "" },
];

function Challenge({ setup }: Props) {
  const [rules, setRules] = useState<ChallengeRules>({ target: 8, daily_loss: 5, total_loss: 10, least_days: 0, most_days: 60 });
  const found = useQuery(challengeQuery(setup, rules));
  const tones: Record<string, string> = { passed: "bg-gain", "daily loss": "bg-loss", "total loss": "bg-loss", "timed out": "bg-line" };
  return (
    <section aria-label="Challenge" className="py-4">
      <h2 className="text-base">A funded account&apos;s test, begun on every day</h2>
      <p className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        {FIELDS.map(({ key, label, unit }) => (
          <label key={key} className="flex items-center gap-1 text-soft">
            {label}
            <input
              type="number"
              min={0}
              step="any"
              className="field num w-16 text-right text-base-content"
              value={rules[key]}
              onChange={(event) => event.target.value !== "" && setRules({ ...rules, [key]: key.endsWith("days") ? Math.floor(Number(event.target.value)) : Number(event.target.value) })}
            />
            {unit}
          </label>
        ))}
      </p>
      {found.isPending && <Loading what="Beginning on every day" />}
      {found.error && <Trouble error={found.error.message} />}
      {found.data && (
        <div className="mt-3" data-testid="challenge">
          {Object.entries(found.data.shares).map(([name, share]) => (
            <div key={name} className="flex max-w-2xl items-center gap-3 py-[2px]">
              <span className="w-28">{name}</span>
              <span className="h-2 flex-1">
                <span className={`block h-2 ${tones[name] ?? "bg-line"}`} style={{ width: `${(share ?? 0) * 100}%` }} />
              </span>
              <span className="num w-16 text-right">{share === null ? "–" : `${plain(share * 100, 1)} %`}</span>
            </div>
          ))}
          <p className="mt-1 text-soft">
            {plain(found.data.decided, 0)} of {plain(found.data.starts, 0)} starts were decided before the data ended
            {found.data.days_to_pass ? `; those that passed took ${plain(found.data.days_to_pass.median ?? 0, 0)} trading days in the middle, ${plain(found.data.days_to_pass.most ?? 0, 0)} at most` : ""}. The days hang together, so these are not independent tries.
          </p>
        </div>
      )}
    </section>
  );
}
