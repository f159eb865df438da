import { X } from "lucide-react";
import type { RuleExample } from "@/api";
import { NumberField, Picker } from "@/ui";
import { PARTS, SLOTS, toggled, withRule, type Joiner, type PlanDraft, type Slot } from "./model";

interface Props {
  draft: PlanDraft;
  examples: RuleExample[];
  /** Rules of the long side that have no mirror image. */
  unmirrored: string[];
  onDraft: (draft: PlanDraft) => void;
}

/** The plan as it grows: what enters and leaves, both sides, protection, windows, size. */
export function PlanColumn({ draft, examples, unmirrored, onDraft }: Props) {
  const isBoth = draft.isMirrored || (draft.chosen.goLong.length > 0 && draft.chosen.goShort.length > 0);
  return (
    <div className="min-h-0 overflow-auto px-4 py-2">
      {SLOTS.map((item) =>
        draft.isMirrored && (item.slot === "goShort" || item.slot === "leaveShort") ? null : (
          <SlotRow key={item.slot} {...item} draft={draft} onDraft={onDraft} />
        ),
      )}
      <section className="border-b border-line py-2" aria-label="The other side">
        <h3 className="font-serif text-figure">The short side</h3>
        <p className="mt-1 flex flex-wrap items-center gap-2">
          <button
            type="button"
            className={draft.isMirrored ? "main-button !py-0" : "plain-button !py-0"}
            aria-pressed={draft.isMirrored}
            disabled={draft.chosen.goLong.length === 0}
            onClick={() => onDraft({ ...draft, isMirrored: !draft.isMirrored })}
          >
            Mirror the long side
          </button>
          {isBoth && (
            <>
              <span className="text-soft">an opposite signal</span>
              <Picker
                label="What an opposite signal does"
                value={draft.opposite}
                options={[
                  { value: "reverse", label: "reverses" },
                  { value: "exit", label: "only leaves" },
                  { value: "ignore", label: "is ignored" },
                ]}
                onChange={(value) => onDraft({ ...draft, opposite: value as PlanDraft["opposite"] })}
              />
            </>
          )}
        </p>
        {draft.isMirrored && unmirrored.length > 0 && (
          <p className="mt-1 text-note text-loss" role="status">
            Without a mirror image: <span className="num">{unmirrored.join("; ")}</span>. Take the mirror off and choose
            conditions for the short side.
          </p>
        )}
      </section>
      {PARTS.map(({ section, name }) => (
        <section key={section} className="border-b border-line py-2 last:border-b-0" aria-label={name}>
          <h3 className="font-serif text-figure">{name}</h3>
          <p className="mt-1 flex flex-wrap gap-1">
            {examples
              .filter((example) => example.section === section)
              .map((example) => {
                const isOn = draft.rules.includes(example.text);
                return (
                  <button
                    key={example.text}
                    type="button"
                    aria-pressed={isOn}
                    title={example.said}
                    className={`cursor-pointer rounded border px-2 py-[1px] text-left ${isOn ? "border-base-content bg-shallow" : "border-line bg-base-100 hover:border-soft"}`}
                    onClick={() => onDraft({ ...draft, rules: withRule(draft.rules, example, examples) })}
                  >
                    <span className="num text-note whitespace-pre-wrap">{example.text}</span>
                    <span className="block text-small text-soft">{example.said}</span>
                  </button>
                );
              })}
          </p>
        </section>
      ))}
    </div>
  );
}

function SlotRow({
  slot,
  name,
  tone,
  draft,
  onDraft,
}: {
  slot: Slot;
  name: string;
  tone: string;
  draft: PlanDraft;
  onDraft: (draft: PlanDraft) => void;
}) {
  const own = draft.chosen[slot];
  const put = (text: string) => onDraft({ ...draft, chosen: { ...draft.chosen, [slot]: toggled(own, text) } });
  const joiners: { value: Joiner; label: string }[] = [
    { value: "and", label: "and" },
    { value: "or", label: "or" },
    ...(slot === "notWhen" ? [] : [{ value: "then" as const, label: "then" }]),
  ];
  return (
    <section
      aria-label={name}
      className="border-b border-line py-2"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        const text = event.dataTransfer.getData("text/plain");
        if (text && !own.includes(text)) put(text);
      }}
    >
      <h3 className="font-serif text-figure">{name}</h3>
      <p className="mt-1 flex flex-wrap items-center gap-1">
        {own.map((text, place) => (
          <span key={text} className="flex items-center gap-1">
            {place === 1 && (
              <Picker
                label={`How the conditions of ${name} are joined`}
                value={draft.joiners[slot]}
                options={joiners}
                onChange={(value) => onDraft({ ...draft, joiners: { ...draft.joiners, [slot]: value as Joiner } })}
              />
            )}
            {place > 1 && <span className="text-soft">{draft.joiners[slot]}</span>}
            <span
              className={`num flex items-center rounded border px-2 font-semibold ${tone === "long" ? "border-long text-long" : tone === "short" ? "border-short text-short" : "border-base-content"}`}
            >
              {text}
              <button
                type="button"
                className="ml-1 cursor-pointer"
                aria-label={`Take ${text} out of ${name}`}
                onClick={() => put(text)}
              >
                <X size={12} aria-hidden />
              </button>
            </span>
          </span>
        ))}
        {own.length > 1 && draft.joiners[slot] === "then" && (
          <label className="flex items-center gap-1 text-soft">
            no later than
            <NumberField
              least={1}
              className="field w-16"
              value={draft.thenBars}
              onChange={(thenBars) => onDraft({ ...draft, thenBars })}
            />
            bars
          </label>
        )}
        <span className="rounded border border-dashed border-line px-2 text-note text-soft">drop a condition</span>
      </p>
    </section>
  );
}
