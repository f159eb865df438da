import { useQueries } from "@tanstack/react-query";
import type { Brought, Setup } from "@/api";
import { moneyText, Said } from "@/ui";
import { counted, whole, type Question } from "./model";
import { glimpseQuery } from "./useGlimpse";

interface Props {
  question: Question;
  brought: Brought;
  pasted: string;
  place: Setup;
  /** Whether what each choice would come to is looked at: each is a run. */
  isCounted: boolean;
  isAnswered: boolean;
  onAnswer: (choice: number) => void;
}

/** One thing that may be meant in several ways; each choice says what it would come to. */
export function Asked({ question, brought, pasted, place, isCounted, isAnswered, onAnswer }: Props) {
  const runs = useQueries({
    queries: question.choices.map((_, choice) => ({
      ...glimpseQuery(pasted, whole(brought, { [question.id]: choice }), place),
      enabled: isCounted,
    })),
  });
  return (
    <fieldset className="my-1 mr-3 ml-9 flex flex-wrap items-center gap-2 border border-l-4 border-line border-l-brass bg-base-100 px-3 py-1.5 font-sans text-body">
      <legend className="sr-only">{question.sentence.replaceAll("`", "")}</legend>
      <p className="basis-full">
        <Said text={question.sentence} />
      </p>
      {question.choices.map((words, choice) => {
        const ran = runs[choice]?.data;
        return (
          <button
            key={words}
            type="button"
            className={`plain-button ${choice === question.chosen ? "!border-brass" : ""}`}
            aria-pressed={choice === question.chosen}
            title={ran?.net != null ? `net ${moneyText(ran.net)}` : undefined}
            onClick={() => onAnswer(choice)}
          >
            {choice === question.chosen ? "✓ " : ""}
            {words}
            {isCounted && (
              <span className="num ml-2 text-soft">
                {ran
                  ? ran.trades === null
                    ? "no rules"
                    : counted(ran.trades, "trade")
                  : runs[choice]?.error
                    ? "cannot run"
                    : "…"}
              </span>
            )}
          </button>
        );
      })}
      {!isAnswered && (
        <span className="text-soft">It runs as “{question.choices[question.chosen]}” until you choose.</span>
      )}
    </fieldset>
  );
}
