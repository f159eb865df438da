import type { TrialPlan, TrialSpan } from "@/api";
import { Picker, plain } from "@/ui";
import { spanText } from "./model";

interface Props {
  split: string;
  spans: Pick<TrialPlan, "parts" | "held_back" | "looks"> | undefined;
  onChange: (split: string) => void;
}

const OFFERED = [
  { value: "", label: "nothing: judge on all days" },
  { value: "70,30", label: "the last 30 %" },
  { value: "60,25,15", label: "25 %, and 15 % locked away" },
  { value: "50,30,20", label: "30 %, and 20 % locked away" },
];

/** What of the data the choice does not see. */
export function SplitEditor({ split, spans, onChange }: Props) {
  const every = spans ? [...spans.parts, ...(spans.held_back ? [spans.held_back] : [])] : [];
  const days = every.reduce((sum, span) => sum + span.days, 0);
  let before = 0;
  return (
    <section aria-label="What is kept back" className="mt-4">
      <h2>What is kept back</h2>
      <p className="mt-1">
        <Picker label="What the choice does not see" value={split} options={OFFERED} onChange={onChange} />
      </p>
      <label className="mt-1 flex items-center gap-2 text-small text-soft">
        shares or dates
        <input
          className="field num min-w-0 flex-1"
          placeholder="60,25,15"
          aria-label="Split, typed"
          value={split}
          onChange={(event) => onChange(event.target.value)}
        />
      </label>
      {split !== "" &&
        every.map((span) => {
          const start = before;
          before += span.days;
          const isHeld = span === spans?.held_back;
          return (
            <div key={span.name} className="mt-2 text-note">
              <div className="flex justify-between">
                <b className="num font-normal">{spanText(span)}</b>
                <span className="text-soft">{isHeld ? `locked, ${lookText(spans?.looks ?? 0)}` : span.name}</span>
              </div>
              <Bar
                span={span}
                start={start / days}
                share={span.days / days}
                tone={isHeld ? "bg-short" : span.name === "in sample" ? "bg-soft" : "bg-brass"}
              />
            </div>
          );
        })}
    </section>
  );
}

export function lookText(looks: number): string {
  return looks === 1 ? "1 look" : `${plain(looks, 0)} looks`;
}

function Bar({ span, start, share, tone }: { span: TrialSpan; start: number; share: number; tone: string }) {
  return (
    <div className="h-1.5 rounded bg-base-300" title={`${plain(span.days, 0)} trading days`}>
      <div className={`h-full rounded ${tone}`} style={{ marginLeft: `${start * 100}%`, width: `${share * 100}%` }} />
    </div>
  );
}
