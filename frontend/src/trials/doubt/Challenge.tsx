import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { ChallengeRules, Setup } from "@/api";
import { Loading, NumberField, plain, Trouble } from "@/ui";
import { challengeQuery } from "./queries";

const FIELDS: { key: keyof ChallengeRules; label: string; unit: string }[] = [
  { key: "target", label: "reach", unit: "%" },
  { key: "daily_loss", label: "lose at most a day", unit: "%" },
  { key: "total_loss", label: "lose at most in all", unit: "%" },
  { key: "least_days", label: "not before day", unit: "" },
  { key: "most_days", label: "within trading days", unit: "" },
];

/** A funded account's test begun on every day of the run. */
export function Challenge({ setup }: { setup: Setup }) {
  const [rules, setRules] = useState<ChallengeRules>({
    target: 8,
    daily_loss: 5,
    total_loss: 10,
    least_days: 0,
    most_days: 60,
  });
  const found = useQuery(challengeQuery(setup, rules));
  const tones: Record<string, string> = {
    passed: "bg-gain",
    "daily loss": "bg-loss",
    "total loss": "bg-loss",
    "timed out": "bg-line",
  };
  return (
    <section aria-label="Challenge" className="py-4">
      <h2 className="text-base">A funded account&apos;s test, begun on every day</h2>
      <p className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        {FIELDS.map(({ key, label, unit }) => (
          <label key={key} className="flex items-center gap-1 text-soft">
            {label}
            <NumberField
              least={0}
              isWhole={key.endsWith("days")}
              className="field w-16 text-right text-base-content"
              value={rules[key]}
              onChange={(value) => setRules({ ...rules, [key]: value })}
            />
            {unit}
          </label>
        ))}
      </p>
      {found.isPending && <Loading what="Beginning on every day" />}
      {found.error && <Trouble error={found.error.message} />}
      {found.data && (
        <div className="mt-3" data-testid="challenge">
          {Object.entries(found.data.shares).map(([name, share]) => {
            const band = found.data.bands?.[name];
            return (
              <div key={name} className="flex max-w-2xl items-center gap-3 py-[2px]">
                <span className="w-28">{name}</span>
                <span className="relative h-3 flex-1">
                  <span
                    className={`absolute top-[2px] block h-2 ${tones[name] ?? "bg-line"}`}
                    style={{ width: `${(share ?? 0) * 100}%` }}
                  />
                  {band && (
                    <span
                      aria-hidden
                      className="absolute top-[5px] block h-[2px] bg-base-content"
                      style={{ left: `${band[0]! * 100}%`, width: `${(band[1]! - band[0]!) * 100}%` }}
                    />
                  )}
                </span>
                <span className="num w-16 text-right">{share === null ? "–" : `${plain(share * 100, 1)} %`}</span>
                <span className="num w-36 text-soft">
                  {band ? `${plain(band[0]! * 100, 1)} … ${plain(band[1]! * 100, 1)} %` : ""}
                </span>
              </div>
            );
          })}
          <p className="mt-1 text-soft">
            {plain(found.data.decided, 0)} of {plain(found.data.starts, 0)} starts were decided before the data ended
            {found.data.days_to_pass
              ? `; those that passed took ${plain(found.data.days_to_pass.median ?? 0, 0)} trading days in the middle, ${plain(found.data.days_to_pass.most ?? 0, 0)} at most`
              : ""}
            . Starts that the data ended count for as long as they were seen. Starts overlap: the band is for as many as
            they are worth. {found.data.note}
          </p>
        </div>
      )}
    </section>
  );
}
