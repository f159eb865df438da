import type { DeskProps } from "../desk";
import { TrialHeader } from "../TrialHeader";
import { Challenge } from "./Challenge";
import { Histories } from "./Histories";
import { Resampling } from "./Resampling";
import { Stress } from "./Stress";

/** One run doubted in every honest way. */
export function Doubt({ head, ...props }: DeskProps) {
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head}>
        Doubt {head.script} on {head.market} at {head.timeframe} {head.conditions}
      </TrialHeader>
      <div className="min-h-0 flex-1 overflow-auto px-6 py-3">
        <Stress {...props} />
        <Resampling {...props} />
        <Histories {...props} />
        <Challenge {...props} />
      </div>
    </section>
  );
}
