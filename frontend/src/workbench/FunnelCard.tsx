import { useEffect, useState } from "react";
import type { AskOnce, FunnelView, Told } from "@/api";
import { Dialog, Loading, plain, Trouble } from "@/ui";

interface Props {
  run: string;
  ask: AskOnce;
  onClose: () => void;
}

/** Why so few trades, or so many: what each part of the entry rules let through, and where the signals went. */
export function FunnelCard({ run, ask, onClose }: Props) {
  const [told, setTold] = useState<Told<FunnelView> | null>(null);
  useEffect(() => {
    let isWanted = true;
    void ask("funnel", { run }).then((answer) => isWanted && setTold(answer));
    return () => {
      isWanted = false;
    };
  }, [ask, run]);
  const found = told?.kind === "answer" ? told.answer : null;
  return (
    <Dialog title="Why so few, why so many" onClose={onClose}>
      {(told === null || told.kind === "superseded") && <Loading what="Counting" />}
      {told?.kind === "failed" && <Trouble error={told.reason} />}
      {found?.sides.length === 0 && <p className="p-4 text-soft">No entry rule is on for these sides.</p>}
      {found?.sides.map((side) => (
        <section key={side.side} aria-label={side.side} className="border-b border-line px-4 py-3 last:border-b-0">
          <h3 className={`font-semibold ${side.side === "long" ? "text-long" : "text-short"}`}>{side.side}</h3>
          {found.rules
            .filter((rule) => rule.side === side.side)
            .map((rule) => (
              <div key={rule.rule} className="mt-1">
                <p className="text-soft">
                  “{rule.rule}” on <span className="num">{plain(rule.bars, 0)}</span> bars
                </p>
                {rule.passed.length === 0 && (
                  <p className="text-note text-soft">
                    It asks for the position, so its parts are judged only as the run goes.
                  </p>
                )}
                {rule.passed.map((part, place) => (
                  <Row
                    key={part.text}
                    text={place === 0 ? part.text : `and ${part.text}`}
                    count={part.left}
                    of={rule.passed[0]!.left}
                    tone={rule.side}
                  />
                ))}
              </div>
            ))}
          <p className="mt-2 text-soft">
            <span className="num">{plain(side.signals, 0)}</span> signals
          </p>
          {side.reasons.map((reason) => (
            <Row key={reason.reason} text={reason.reason} count={reason.count} of={side.signals} tone="lost" />
          ))}
          <Row text="traded" count={side.traded} of={side.signals} tone={side.side} />
        </section>
      ))}
    </Dialog>
  );
}

function Row({ text, count, of, tone }: { text: string; count: number; of: number; tone: "long" | "short" | "lost" }) {
  const fill = tone === "long" ? "bg-long" : tone === "short" ? "bg-short" : "bg-line";
  return (
    <div className="flex items-center gap-3 py-[2px]">
      <span className="num w-64 flex-none truncate text-note" title={text}>
        {text}
      </span>
      <span className="h-2 flex-1">
        <span
          className={`block h-2 ${fill}`}
          style={{ width: `${of > 0 ? Math.max(count > 0 ? 0.5 : 0, (count / of) * 100) : 0}%` }}
        />
      </span>
      <span className="num w-20 flex-none text-right">{plain(count, 0)}</span>
    </div>
  );
}
