import { meetFirstMinute, sailOn } from "@/keeping";
import { figureText, Said } from "@/ui";
import type { Bench } from "../useBench";

/** What a newcomer sees first: what the strategy in view came to, and what can be done with it. */
export function FirstMinute({ bench }: { bench: Bench }) {
  const { run, isOfView } = bench.live;
  if (!run?.is_strategy || !isOfView) return null;
  const told = (key: string, side: "all" | "long" | "short" = "all") => {
    const info = bench.catalogue.figures.find((item) => item.key === key)!;
    return figureText(info, run.figures[side][key]);
  };
  const currency = bench.account?.currency;
  const says =
    run.findings.length === 1 ? "One finding speaks of it" : `${run.findings.length || "No"} findings speak of it`;
  const act = (then: () => void) => () => {
    meetFirstMinute();
    then();
  };
  return (
    <section
      aria-label="The first minute"
      className="flex flex-none flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-line border-l-4 border-l-brass bg-base-100 px-4 py-2"
    >
      <p className="min-w-0 flex-1 basis-96 text-sentence">
        <Said
          text={`This is “${bench.title}”, a strategy of the demo world, on ${bench.setup.market}: ${told("trades")} trades came to ${told("net_profit")}${currency ? ` ${currency}` : ""} after all costs, long ones to ${told("net_profit", "long")}, short ones to ${told("net_profit", "short")}, with a deepest fall of ${told("max_drawdown_percent")}. ${says}. Each bracket in the chart is a trade; the words of the sentence above, the text and the chart can all be pressed.`}
        />
      </p>
      <span className="flex flex-none gap-2">
        <button type="button" className="plain-button" onClick={act(() => bench.setTool("readback"))}>
          Read it
        </button>
        <button type="button" className="plain-button" onClick={act(() => bench.setFace("Inputs"))}>
          Change it
        </button>
        <button type="button" className="plain-button" onClick={act(bench.onMarkets)}>
          Bring own bars
        </button>
        <button type="button" className="main-button" onClick={sailOn}>
          First voyage
        </button>
        <button type="button" className="plain-button" onClick={meetFirstMinute}>
          Close
        </button>
      </span>
    </section>
  );
}
