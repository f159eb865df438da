import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { api, unwrap, type Account, type Brought, type Market, type Setup, type SetupState } from "@/api";
import { AccountWord, MarketWord, TimeframeWord } from "@/setup";
import { Trouble, useKept } from "@/ui";
import { CheckConversion } from "../text/dialogs";
import { CopyButton } from "../text/CopyButton";
import { Glimpsed } from "./Glimpsed";
import { LineAgainstLine } from "./LineAgainstLine";
import { counted, leftText, linesOf, openQuestions, placeOf, statesOf, whole, type Answers } from "./model";
import { Pasting } from "./Pasting";
import { useGlimpse } from "./useGlimpse";

interface Props {
  setup: Setup;
  state: SetupState;
  onState: (state: SetupState) => void;
  markets: Market[];
  accounts: Account[];
  onTake: (text: string) => void;
  onClose: () => void;
}

interface Kept {
  pasted: string;
  answers: Answers;
  isWriting: boolean;
}

/** A script in another notation and what it comes to here, joined line by line; it runs as it is answered. */
export function BringOver(props: Props) {
  const [{ pasted, answers, isWriting }, keep] = useKept<Kept>("bring over", {
    pasted: "",
    answers: {},
    isWriting: true,
  });
  const [isProving, setProving] = useState(false);
  const host = useRef<HTMLElement>(null);
  useEffect(() => {
    if (!isWriting) host.current?.focus();
  }, [isWriting]);
  const found = useQuery({
    queryKey: ["bring", pasted, answers],
    queryFn: ({ signal }) => unwrap(api.POST("/api/texts/bring", { body: { text: pasted, answers }, signal })),
    enabled: !isWriting,
    placeholderData: (before) => before,
  });
  const brought = isWriting ? undefined : found.data;
  const isOld = found.isPlaceholderData;
  const place = placeOf(props.setup);
  const ran = useGlimpse(pasted, brought && !isOld ? whole(brought) : null, place);
  const edit = () => keep({ pasted, answers, isWriting: true });
  return (
    <section
      ref={host}
      aria-label="Bring over"
      tabIndex={-1}
      className="flex h-full flex-col outline-none"
      onKeyDown={(event) => event.key === "Escape" && !event.defaultPrevented && !isProving && props.onClose()}
    >
      <Head {...props} brought={brought} lines={linesOf(pasted).length} />
      {isWriting && (
        <Pasting
          text={pasted}
          onText={(text) => keep({ pasted: text, answers: {}, isWriting: true })}
          onRead={(text) => keep({ pasted: text, answers: text === pasted ? answers : {}, isWriting: false })}
        />
      )}
      {found.error && (
        <Trouble error={found.error.message}>
          <button type="button" className="plain-button my-2" onClick={edit}>
            Change what was pasted
          </button>
        </Trouble>
      )}
      {brought && (
        <>
          <LineAgainstLine
            pasted={pasted}
            brought={brought}
            answers={answers}
            place={place}
            isOld={isOld}
            onAnswer={(id, choice) => keep({ pasted, answers: { ...answers, [id]: choice }, isWriting })}
            onEdit={edit}
          />
          <Glimpsed ran={ran} isOld={isOld} />
          <footer className="flex min-h-[46px] flex-none flex-wrap items-center gap-2 border-t border-line px-4 py-1">
            <button
              type="button"
              className="main-button"
              disabled={isOld}
              onClick={() => (props.onTake(brought.text), props.onClose())}
            >
              Take it
            </button>
            <button
              type="button"
              className="plain-button"
              disabled={isOld || !ran.data?.columns.length}
              title={
                ran.data && ran.data.columns.length === 0
                  ? `The bars of ${place.market} have no column of the original's values`
                  : "Check a name against the original's values"
              }
              onClick={() => setProving(true)}
            >
              Prove it
            </button>
            {brought.left > 0 && <CopyButton text={leftText(brought)} label="Copy what is left" />}
            <span className="pl-2 text-soft">{stillOpen(brought, answers)}</span>
            <span className="ml-auto text-soft">
              Nothing is saved until you take it.{" "}
              {ran.data && ran.data.columns.length > 0 && `These bars carry ${ran.data.columns.join(", ")}.`}
            </span>
          </footer>
        </>
      )}
      {isProving && brought && (
        <CheckConversion setup={{ ...place, text: brought.text }} onClose={() => setProving(false)} />
      )}
    </section>
  );
}

function stillOpen(brought: Brought, answers: Answers): string {
  const open = openQuestions(brought, answers).length;
  return [
    open > 0 && counted(open, "question") + " open",
    brought.left > 0 && counted(brought.left, "line") + " left out",
  ]
    .filter(Boolean)
    .join(", ");
}

/** How much came over, a cell for every line that says something, and where it runs. */
function Head({
  brought,
  lines,
  setup,
  state,
  onState,
  markets,
  accounts,
  onClose,
}: Props & { brought: Brought | undefined; lines: number }) {
  const put = (change: Partial<SetupState>) => onState({ ...state, ...change });
  return (
    <header className="flex min-h-[46px] flex-none flex-wrap items-center gap-x-4 border-b border-line px-4 py-1 text-sentence">
      <h1 className="flex gap-2 font-semibold">
        Bring over
        {brought && (
          <span className="font-normal text-soft" data-testid="brought-counts">
            <Count of={brought.sure} tone="text-long">
              {brought.sure === 1 ? "line" : "lines"} sure,
            </Count>
            <Count of={brought.asked} tone="text-brass">
              asked,
            </Count>
            <Count of={brought.left} tone="text-loss">
              left
            </Count>
          </span>
        )}
      </h1>
      {brought && <Cells states={statesOf(brought, lines)} />}
      <span className="ml-auto flex items-center gap-1 text-body text-soft">
        run on <MarketWord setup={setup} markets={markets} onPut={put} /> at <TimeframeWord setup={setup} onPut={put} />{" "}
        with <AccountWord setup={setup} markets={markets} accounts={accounts} onPut={put} />
      </span>
      <button type="button" className="plain-button" onClick={onClose}>
        Close
      </button>
    </header>
  );
}

function Count({ of, tone, children }: { of: number; tone: string; children: ReactNode }) {
  return (
    <>
      <b className={`num ${tone}`}>{of}</b> {children}{" "}
    </>
  );
}

const CELLS = { sure: "bg-long", asked: "border border-brass", left: "bg-loss/25 text-loss" } as const;

function Cells({ states }: { states: ReturnType<typeof statesOf> }) {
  return (
    <span className="flex max-w-[28rem] gap-px overflow-hidden" aria-hidden>
      {states.map(
        (state, place) =>
          state && (
            <span
              key={place}
              className={`h-[14px] w-[7px] flex-none text-center text-small leading-[13px] ${CELLS[state]}`}
            >
              {state === "left" && "×"}
            </span>
          ),
      )}
    </span>
  );
}
