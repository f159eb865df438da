import { Fragment, useRef, useState } from "react";
import type { Brought, Setup } from "@/api";
import { Looks } from "../text/Looks";
import { Asked } from "./Asked";
import {
  counted,
  linesOf,
  openQuestions,
  questionsUnder,
  statesOf,
  type Answers,
  type Question,
  type State,
} from "./model";
import { Threads } from "./Threads";

interface Props {
  pasted: string;
  brought: Brought;
  answers: Answers;
  place: Setup;
  /** Whether the right side is still of what was answered before. */
  isOld: boolean;
  onAnswer: (id: string, choice: number) => void;
  onEdit: () => void;
}

const TONES: Record<State, string> = {
  sure: "",
  asked: "bg-brass/5 shadow-[inset_4px_0_0_var(--brass)]",
  left: "bg-loss/5 shadow-[inset_4px_0_0_var(--loss)]",
};
const MOST_COUNTED = 4; // questions whose choices are run at once

/** The pasted text at the left, the script at the right, a thread for what came from what. */
export function LineAgainstLine({ pasted, brought, answers, place, isOld, onAnswer, onEdit }: Props) {
  const [near, setNear] = useState(0);
  const [again, setAgain] = useState<string | null>(null);
  const rows = useRef<HTMLDivElement>(null);
  const left = linesOf(pasted);
  const states = statesOf(brought, left.length);
  const open = openQuestions(brought, answers);
  const counting = new Set(open.slice(0, MOST_COUNTED).map((question) => question.id));
  const under = questionsUnder(brought);
  const answer = (id: string, choice: number) => (setAgain(null), onAnswer(id, choice));
  const tone = (state: State | null, source: number) =>
    source > 0 && source === near ? "bg-shallow" : state ? TONES[state] : "";
  const asked = (question: Question) => {
    const isAnswered = question.id in answers;
    if (isAnswered && again !== question.id)
      return (
        <p key={question.id} className="ml-9 px-3 py-px text-right font-sans text-note text-soft">
          asked: {question.choices[question.chosen]}{" "}
          <button type="button" className="cursor-pointer text-long underline" onClick={() => setAgain(question.id)}>
            ask again
          </button>
        </p>
      );
    return (
      <Asked
        key={question.id}
        question={question}
        brought={brought}
        pasted={pasted}
        place={place}
        isCounted={!isOld && (counting.has(question.id) || again === question.id)}
        isAnswered={isAnswered}
        onAnswer={(choice) => answer(question.id, choice)}
      />
    );
  };
  return (
    <div className="min-h-0 flex-1 overflow-auto" tabIndex={0} role="region" aria-label="Line against line">
      <div
        ref={rows}
        className="num relative grid min-h-full grid-cols-[minmax(0,1fr)_112px_minmax(0,1.2fr)] text-body leading-5"
        onMouseLeave={() => setNear(0)}
      >
        <div className="border-r border-line bg-base-200 pb-3">
          <ColumnHead title="Pasted" said={`${counted(left.length, "line")}, left as they are`}>
            <button type="button" className="cursor-pointer text-long underline" onClick={onEdit}>
              Change what was pasted
            </button>
          </ColumnHead>
          {left.map((text, at) => (
            <pre
              key={at}
              data-from={at + 1}
              className={`flex whitespace-pre-wrap ${tone(states[at] ?? null, at + 1)}`}
              onMouseEnter={() => setNear(at + 1)}
            >
              <Numbered at={at + 1} />
              <span className="min-w-0 flex-1 pr-3 break-words">{text}</span>
            </pre>
          ))}
        </div>
        <div className="relative" aria-hidden>
          <p className="py-1.5 text-center font-sans text-note leading-4 text-soft italic">what came from what</p>
          <Threads rows={rows} brought={brought} answers={answers} near={near} again={again} />
        </div>
        <div className={`border-l border-line bg-base-100 pb-3 ${isOld ? "opacity-60" : ""}`} aria-busy={isOld}>
          <ColumnHead title="Skelb" said={`${counted(brought.lines.length, "line")}, rewritten with each answer`}>
            <span className="text-gain">✓ checks clean</span>
          </ColumnHead>
          {under.get(-1)?.map(asked)}
          {brought.lines.map((line, at) => (
            <Fragment key={at}>
              <pre
                data-to={at}
                className={`flex whitespace-pre-wrap ${tone(line.state, line.source)} ${line.state === "left" ? "text-loss" : ""}`}
                onMouseEnter={() => setNear(line.source)}
              >
                <Numbered at={at + 1} />
                <span className="min-w-0 flex-1 pr-3 break-words" data-testid="brought-line">
                  <Looks text={line.text} />
                </span>
                {line.source === 0 && (
                  <span className="pr-3 font-sans text-note text-soft italic">no line of its own</span>
                )}
              </pre>
              {under.get(at)?.map(asked)}
            </Fragment>
          ))}
        </div>
      </div>
    </div>
  );
}

function ColumnHead({ title, said, children }: { title: string; said: string; children: React.ReactNode }) {
  return (
    <p className="flex items-baseline gap-2 px-4 py-2 font-sans">
      <b className="font-semibold">{title}</b> <span className="text-note text-soft">{said}</span>
      <span className="ml-auto text-note">{children}</span>
    </p>
  );
}

function Numbered({ at }: { at: number }) {
  return <span className="w-9 flex-none pr-2 text-right text-note leading-5 text-soft select-none">{at}</span>;
}
