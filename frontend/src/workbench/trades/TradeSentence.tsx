import { ChevronLeft, ChevronRight } from "lucide-react";
import type { Run } from "@/api";
import { tradeSentence } from "./model";

interface Props {
  run: Run;
  symbol: string;
  row: number;
  digits: number;
  onStep: (by: 1 | -1) => void;
}

/** The trade in view, told in a sentence, and the way to the ones before and after it. */
export function TradeSentence({ run, symbol, row, digits, onStep }: Props) {
  const said = tradeSentence(run, symbol, row, digits);
  const { trades } = run;
  return (
    <div
      className="flex flex-none items-center gap-2 border-t border-line bg-base-100 px-2 py-1 text-note leading-[18px]"
      data-testid="trade-sentence"
    >
      <button
        type="button"
        className="cursor-pointer p-1 text-soft hover:text-base-content"
        aria-label="Trade before"
        title="Trade before (p)"
        onClick={() => onStep(-1)}
      >
        <ChevronLeft size={15} aria-hidden />
      </button>
      <button
        type="button"
        className="cursor-pointer p-1 text-soft hover:text-base-content"
        aria-label="Trade after"
        title="Trade after (n)"
        onClick={() => onStep(1)}
      >
        <ChevronRight size={15} aria-hidden />
      </button>
      <p className="min-w-0 flex-1">
        <span className={`font-semibold ${trades.side[row]! > 0 ? "text-long" : "text-short"}`}>
          Trade {trades.first_number + row}
        </span>{" "}
        {said.entry}; {said.exit}. <span className="num">{said.between}</span>:{" "}
        <span className={`num font-semibold ${trades.net[row]! > 0 ? "text-gain" : "text-loss"}`}>{said.money}</span>;{" "}
        <span className="text-soft">{said.way}.</span>
      </p>
    </div>
  );
}
