import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Copy, FlipVertical2, Plus, Trash2 } from "lucide-react";
import { useState, type ReactNode } from "react";
import {
  sheetQuery,
  worthQuery,
  type AccountSettings,
  type LineWorth,
  type RuleExample,
  type Setup,
  type SheetRow,
} from "@/api";
import { Loading, moneyText, moneyTone, plain, PopOver, Said, signed, Trouble } from "@/ui";
import { added, examplesFor, placeFor, replaced, SECTIONS } from "./model";

interface Props {
  setup: Setup;
  account: AccountSettings;
  onText: (text: string) => void;
  /** Open the account: with the rules it says how much a trade is. */
  onAccount: () => void;
}

/** The rules as a plan: every row is exactly its lines of the text, and every change of a row a change of those lines. */
export function SheetFace({ setup, account, onText, onAccount }: Props) {
  const sheet = useQuery({ ...sheetQuery(setup), placeholderData: keepPreviousData });
  const { asking, worthOf } = useWorth(setup);
  if (sheet.isPending) return <Loading what="Reading the rules" />;
  if (sheet.error) return <Trouble error={sheet.error.message} />;
  // Places count in the text they were read from: while a newer text is being read, rows only show.
  const isCurrent = !sheet.isPlaceholderData;
  const { rows, examples } = sheet.data;
  const text = setup.text;
  return (
    <div className="px-4 pt-1 pb-4">
      {rows.some((row) => row.is_on) && asking}
      {SECTIONS.map(({ section, name, none, examples: kinds }) => {
        const own = rows.filter((row) => row.section === section);
        return (
          <section key={section} aria-label={name} className="border-b border-line py-2 last:border-b-0">
            <h2 className="flex items-center font-semibold">
              {name}
              <span className="ml-auto">
                <AddRule
                  name={name}
                  examples={examplesFor(examples, kinds)}
                  onAdd={(rule) => onText(added(text, placeFor(rows, section), rule))}
                  disabled={!isCurrent}
                />
              </span>
            </h2>
            {own.length === 0 && (
              <p className="text-note text-soft">
                <Said text={none} />
                {section === "size" && ` ${plain(account.capital, 0)} ${account.currency} at the beginning.`}
              </p>
            )}
            {section === "size" && (
              <button type="button" className="cursor-pointer text-note text-long hover:underline" onClick={onAccount}>
                of {setup.account}
              </button>
            )}
            {own.map((row) => (
              <RuleRow
                key={`${row.start} ${row.text}`}
                row={row}
                worth={worthOf(row.text)}
                isCurrent={isCurrent}
                onReplace={(by) => onText(replaced(text, row.start, row.end, by))}
                onAdd={(rule) => onText(added(text, row, rule))}
              />
            ))}
          </section>
        );
      })}
    </div>
  );
}

/** What each rule is worth, once it is asked for; of another text it has to be asked again. */
function useWorth(setup: Setup) {
  const [asked, setAsked] = useState<string | null>(null);
  const key = JSON.stringify(setup);
  const found = useQuery({ ...worthQuery(setup), enabled: asked === key });
  const latest = found.data?.at(-1);
  const isAsked = asked === key || latest !== undefined;
  const rows = (found.data ?? []).flatMap((step) => step.row ?? []);
  const asking = (
    <p className="flex items-center gap-2 py-1 text-note text-soft" data-testid="sheet-worth">
      {!isAsked && (
        <button type="button" className="cursor-pointer text-long hover:underline" onClick={() => setAsked(key)}>
          what each rule is worth
        </button>
      )}
      {isAsked &&
        (found.error
          ? found.error.message
          : latest && latest.done === latest.total
            ? "Under each rule: the run without it, less the run as it is."
            : `Running it without each rule${latest ? `, ${latest.done} of ${latest.total}` : ""}…`)}
    </p>
  );
  const worthOf = (text: string) => rows.find((row) => row.change === "without" && !row.of && row.part === text);
  return { asking, worthOf };
}

/** What the run would be without a rule. */
function Worth({ worth }: { worth: LineWorth }) {
  const { net_profit, return_over_drawdown, trades } = worth.differences ?? {};
  return (
    <span className="num block text-small text-soft" data-says={worth.says}>
      {worth.error ? (
        <i>cannot go: {worth.error.replace(/^.*?: /, "")}</i>
      ) : (
        <>
          without it <span className={moneyTone(net_profit)}>{moneyText(net_profit ?? 0)}</span>
          {return_over_drawdown != null && `, return / drawdown ${signed(return_over_drawdown, 2)}`}
          {trades != null && `, trades ${signed(trades, 0)}`}
          {worth.says && <i> · {worth.says}</i>}
        </>
      )}
    </span>
  );
}

function RuleRow({
  row,
  worth,
  isCurrent,
  onReplace,
  onAdd,
}: {
  row: SheetRow;
  worth: LineWorth | undefined;
  isCurrent: boolean;
  onReplace: (by: string) => void;
  onAdd: (rule: string) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    if (draft !== null && draft.trim() && draft !== row.text) onReplace(draft.trim());
    setDraft(null);
  };
  const tone = row.side === "long" ? "border-l-long" : row.side === "short" ? "border-l-short" : "border-l-line";
  return (
    <div className={`group my-1 flex items-start gap-2 border-l-2 pl-2 ${tone}`} data-testid="sheet-row">
      <input
        type="checkbox"
        className="checkbox checkbox-xs mt-1"
        aria-label={`${row.text}: on`}
        title={row.is_on ? "Switch this rule off; it stays in the text as a comment" : "Switch this rule on"}
        checked={row.is_on}
        disabled={!isCurrent}
        onChange={() => onReplace(row.off)}
      />
      <span className="min-w-0 flex-1">
        <textarea
          className={`num w-full resize-none border-b border-transparent bg-transparent text-note leading-5 hover:border-line focus:border-base-content ${row.is_on ? "" : "text-soft line-through"}`}
          aria-label={`Rule ${row.text}`}
          spellCheck={false}
          rows={(draft ?? row.text).split("\n").length}
          style={{ fieldSizing: "content" }}
          value={draft ?? row.text}
          disabled={!isCurrent || !row.is_on}
          onChange={(event) => setDraft(event.target.value)}
          onBlur={take}
          onKeyDown={(event) => {
            if (event.key === "Enter" && !event.shiftKey) {
              event.preventDefault();
              take();
            }
            if (event.key === "Escape") setDraft(null);
          }}
        />
        {worth && <Worth worth={worth} />}
      </span>
      <span className="flex flex-none gap-1 text-soft">
        {row.mirror !== null && (
          <RowButton
            label={`Mirror for the ${row.side === "long" ? "short" : "long"} side`}
            disabled={!isCurrent}
            onPress={() => onAdd(row.mirror!)}
          >
            <FlipVertical2 size={14} aria-hidden />
          </RowButton>
        )}
        <RowButton label="Write it a second time" disabled={!isCurrent || !row.is_on} onPress={() => onAdd(row.text)}>
          <Copy size={14} aria-hidden />
        </RowButton>
        <RowButton label="Take it out" disabled={!isCurrent} onPress={() => onReplace("")}>
          <Trash2 size={14} aria-hidden />
        </RowButton>
      </span>
    </div>
  );
}

function RowButton({
  label,
  disabled,
  onPress,
  children,
}: {
  label: string;
  disabled: boolean;
  onPress: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className="cursor-pointer p-[3px] hover:text-base-content disabled:opacity-50"
      aria-label={label}
      title={label}
      disabled={disabled}
      onClick={onPress}
    >
      {children}
    </button>
  );
}

/** Worked examples in the market's own numbers, and a rule in one's own words. */
function AddRule({
  name,
  examples,
  onAdd,
  disabled,
}: {
  name: string;
  examples: RuleExample[];
  onAdd: (rule: string) => void;
  disabled: boolean;
}) {
  const [own, setOwn] = useState("");
  const face = (
    <>
      <Plus size={13} aria-hidden /> add
    </>
  );
  return (
    <PopOver face={face} label={`Add to ${name}`} className="bar-button font-normal" side="right" disabled={disabled}>
      {(close) => {
        const add = (rule: string) => {
          if (rule.trim()) onAdd(rule.trim());
          setOwn("");
          close();
        };
        return (
          <span className="flex w-80 flex-col py-1 font-normal">
            {examples.map((example) => (
              <button
                key={example.text}
                type="button"
                className="cursor-pointer px-3 py-1 text-left hover:bg-shallow focus:bg-shallow"
                onClick={() => add(example.text)}
              >
                <span className="num block text-note whitespace-pre-wrap">{example.text}</span>
                <span className="block text-small text-soft">{example.said}</span>
              </button>
            ))}
            <input
              autoFocus
              className="field num mx-3 my-1"
              placeholder="or write a rule, Enter adds it"
              aria-label={`A rule of your own for ${name}`}
              value={own}
              onChange={(event) => setOwn(event.target.value)}
              onKeyDown={(event) => event.key === "Enter" && add(own)}
            />
          </span>
        );
      }}
    </PopOver>
  );
}
