import { useQuery } from "@tanstack/react-query";
import { Fragment, useEffect, useRef, useState, type ChangeEvent } from "react";
import { api, unwrap, type Brought } from "@/api";
import { Dialog, Trouble } from "@/ui";

interface Props {
  onTake: (text: string) => void;
  onClose: () => void;
}

const TONES = { sure: "", asked: "bg-brass/10", left: "bg-loss/10 text-loss" } as const;

/** A script in another notation, line against line with what it comes to here, and what is asked. */
export function BringOver({ onTake, onClose }: Props) {
  const [pasted, setPasted] = useState("");
  const [isWriting, setIsWriting] = useState(true);
  const [answers, setAnswers] = useState<Record<string, number>>({});
  const field = useRef<HTMLTextAreaElement>(null);
  const write = (event: ChangeEvent<HTMLTextAreaElement>) => {
    const wasPasted = (event.nativeEvent as InputEvent).inputType === "insertFromPaste";
    setPasted(event.target.value);
    if (wasPasted && pasted.trim() === "") read(); // a text that comes whole is read at once
  };
  const read = () => (setAnswers({}), setIsWriting(false));
  const found = useQuery({
    queryKey: ["bring", pasted, answers],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/bring", { body: { text: pasted, answers }, signal })),
    enabled: !isWriting,
    placeholderData: (before) => before,
  });
  // The dialog opens after its content is there, so that the field gets the focus only then.
  useEffect(() => field.current?.focus(), [isWriting]);
  const brought = isWriting ? undefined : found.data;
  const isOld = found.isPlaceholderData;
  return (
    <Dialog title="Bring over" onClose={onClose} wide>
      {brought === undefined ? (
        <div className="flex min-h-0 flex-1 flex-col gap-2 px-4 py-3">
          <div className="flex items-center gap-4">
            <label htmlFor="another-notation">
              Paste a script in another notation. What is sure is written, what is doubtful asked, the rest left as it
              is, with the reason. Your script stays until you take the new one.
            </label>
            <button type="button" className="main-button ml-auto" disabled={pasted.trim() === ""} onClick={read}>
              Read it
            </button>
          </div>
          <textarea
            id="another-notation"
            className="field num min-h-72 flex-1 resize-none p-2"
            value={pasted}
            onChange={write}
            spellCheck={false}
            ref={field}
          />
        </div>
      ) : (
        <>
          <div className="flex flex-none flex-wrap items-center gap-4 border-b border-line px-4 py-2">
            <span data-testid="brought-counts">
              <Count of={brought.sure} word="sure" tone="text-deep" />{" "}
              <Count of={brought.asked} word="asked" tone="text-brass" />{" "}
              <Count of={brought.left} word="left" tone="text-loss" />
            </span>
            <button type="button" className="plain-button" onClick={() => setIsWriting(true)}>
              Change what was pasted
            </button>
            <button
              type="button"
              className="main-button ml-auto"
              disabled={isOld}
              onClick={() => (onTake(brought.text), onClose())}
            >
              Take it as the new text
            </button>
          </div>
          <div
            className={`min-h-0 flex-1 overflow-auto ${isOld ? "opacity-60" : ""}`}
            tabIndex={0}
            role="region"
            aria-label="Line against line"
          >
            <div className="num grid grid-cols-2 text-body leading-5">
              <Row left={null} lines={brought.lines.filter((line) => line.source === 0)} />
              {pasted.split("\n").map((text, place) => (
                <Fragment key={place}>
                  <Row
                    left={{ number: place + 1, text }}
                    lines={brought.lines.filter((line) => line.source === place + 1)}
                  />
                  {brought.questions
                    .filter((question) => question.line === place + 1)
                    .map((question) => (
                      <Asked
                        key={question.id}
                        question={question}
                        onAnswer={(choice) => setAnswers({ ...answers, [question.id]: choice })}
                      />
                    ))}
                </Fragment>
              ))}
            </div>
          </div>
        </>
      )}
      {found.error && <Trouble error={found.error.message} />}
    </Dialog>
  );
}

function Count({ of, word, tone }: { of: number; word: string; tone: string }) {
  return (
    <span className="mr-2">
      <b className={`num ${tone}`}>{of}</b> {of === 1 ? "line" : "lines"} {word}
    </span>
  );
}

function Row({ left, lines }: { left: { number: number; text: string } | null; lines: Brought["lines"] }) {
  if (!left && lines.length === 0) return null;
  const tone = TONES[lines.find((line) => line.state !== "sure")?.state ?? "sure"];
  return (
    <>
      <pre className={`border-r border-line px-3 whitespace-pre-wrap ${tone}`}>
        {left && <span className="mr-2 inline-block w-7 text-right text-soft select-none">{left.number}</span>}
        {left?.text}
      </pre>
      <pre className={`px-3 whitespace-pre-wrap ${tone}`}>{lines.map((line) => line.text).join("\n")}</pre>
    </>
  );
}

function Asked({ question, onAnswer }: { question: Brought["questions"][number]; onAnswer: (choice: number) => void }) {
  return (
    <fieldset className="col-span-2 flex flex-wrap items-center gap-2 border-y border-l-4 border-line border-l-brass bg-base-100 px-4 py-1 font-sans">
      <legend className="sr-only">{question.sentence}</legend>
      <span>{question.sentence.replaceAll("`", "")}</span>
      {question.choices.map((words, place) => (
        <button
          key={words}
          type="button"
          className="plain-button"
          aria-pressed={place === question.chosen}
          onClick={() => onAnswer(place)}
        >
          {place === question.chosen ? "✓ " : ""}
          {words}
        </button>
      ))}
    </fieldset>
  );
}
