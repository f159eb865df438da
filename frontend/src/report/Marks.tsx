import type { FigureInfo, Report } from "@/api";
import { figureText, passes, usePassMarks } from "@/ui";

/** The figures that a pass mark was set for, and whether they pass. */
export function Marks({ report, figures }: { report: Report; figures: FigureInfo[] }) {
  const marks = usePassMarks();
  const judged = figures.flatMap((figure) => {
    const mark = marks[figure.key];
    const value = report.figures.all?.[figure.key];
    return mark ? [{ figure, mark, value, passed: passes(mark, value) }] : [];
  });
  if (judged.length === 0) return null;
  return (
    <section aria-label="Pass marks" className="report-part flex flex-wrap gap-y-2 border-t border-b border-line py-2">
      <p className="w-28 flex-none">
        <b>
          {judged.filter((item) => item.passed).length} of {judged.length}
        </b>
        <br />
        <span className="text-soft">marks passed</span>
      </p>
      {judged.map(({ figure, mark, value, passed }) => (
        <p key={figure.key} className={`border-l border-line px-3 ${passed ? "" : "text-loss"}`}>
          <b className="num">
            {figureText(figure, value)} {passed ? "✓" : "✕"}
          </b>
          <br />
          <i>{figure.name}</i>
          <br />
          <span className="text-soft">
            {mark.way} {figureText(figure, mark.value)}
          </span>
        </p>
      ))}
    </section>
  );
}
