import type { ReactNode } from "react";
import type { TrialOrder } from "@/api";
import { Trouble } from "@/ui";
import type { Head } from "./desk";
import { EarlierTrials } from "./EarlierTrials";
import { TrialButtons, TrialProgress } from "./TrialBar";
import { TrialHeader } from "./TrialHeader";
import type { TrialControl } from "./useTrial";
import { Workers } from "./Workers";

interface Props {
  head: Head;
  kind: TrialOrder["kind"];
  control: TrialControl;
  /** What is done, in words. */
  sentence: ReactNode;
  error: { message: string } | null;
  /** What can be set, at the left. */
  settings: ReactNode;
  /** What the runs mean, at the right; nothing leaves the room to the middle. */
  meaning?: ReactNode;
  /** The runs themselves. */
  children: ReactNode;
  /** Another trial is looked at, or none. */
  onTrial: (trial: number | undefined) => void;
}

/** A trial of any kind: what is done above, what can be set, the runs, and what they mean, side by side. */
export function TrialFrame({ head, kind, control, sentence, error, settings, meaning, children, onTrial }: Props) {
  return (
    <section className="flex h-full flex-col">
      <TrialHeader head={head} buttons={<TrialButtons control={control} />}>
        {sentence}
      </TrialHeader>
      <TrialProgress control={control} />
      {error && <Trouble error={error.message} />}
      <div className="stacks flex min-h-0 flex-1">
        <aside className="w-[280px] flex-none overflow-auto border-r border-line bg-base-100 p-4">
          {settings}
          <Workers />
          <EarlierTrials
            kind={kind}
            number={control.trial?.id}
            onGone={() => onTrial(undefined)}
            onChoose={(number) => onTrial(number)}
          />
        </aside>
        {children}
        {meaning && (
          <aside className="w-[258px] flex-none overflow-auto border-l border-line bg-base-100 p-4">{meaning}</aside>
        )}
      </div>
    </section>
  );
}

/** In the middle of the frame, before there is anything to see. */
export function NothingYet({ children }: { children: ReactNode }) {
  return <div className="flex h-full flex-1 items-center justify-center p-8 text-center text-soft">{children}</div>;
}
