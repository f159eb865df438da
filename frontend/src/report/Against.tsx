import type { Report } from "@/api";
import { Said } from "@/ui";
import type { Acts } from "./model";

const DAY = 86_400;

/** What speaks against the run, gravest first, each with its evidence one press away. */
export function Against({ report, onShow }: { report: Report } & Acts) {
  return (
    <section aria-label="What speaks against it" className="report-part pb-3">
      <h2 className="mb-1 text-sentence">
        <b>What speaks against it</b>
      </h2>
      <ul>
        {report.findings.map((finding) => {
          const at = finding.time === null ? null : Date.parse(finding.time) / 1000;
          return (
            <li key={finding.code + finding.message} className="flex items-baseline gap-2 py-[2px]">
              <span
                aria-hidden
                className={`w-3 flex-none text-center ${
                  finding.severity === "grave"
                    ? "text-loss"
                    : finding.severity === "warning"
                      ? "text-brass"
                      : "text-soft"
                }`}
              >
                {finding.severity === "note" ? "·" : "△"}
              </span>
              <span>
                <span className="sr-only">{finding.severity}: </span>
                <Said text={finding.message} />{" "}
                {at !== null && onShow && (
                  <button
                    type="button"
                    className="cursor-pointer text-long underline decoration-dotted"
                    onClick={() => onShow(at - DAY, at + DAY)}
                  >
                    show
                  </button>
                )}
              </span>
            </li>
          );
        })}
        {report.weighed && (
          <li className="flex items-baseline gap-2 py-[2px]" data-testid="weighed">
            <span aria-hidden className="w-3 flex-none text-center text-brass">
              △
            </span>
            {report.weighed}
          </li>
        )}
        {report.findings.length === 0 && !report.weighed && (
          <li className="text-soft">Nothing that Skelb looks for.</li>
        )}
      </ul>
    </section>
  );
}
