import type { ReactNode } from "react";
import type { FigureInfo, Report } from "@/api";
import { Said } from "@/ui";
import { Against } from "./Against";
import { Charges } from "./Charges";
import { Course } from "./Course";
import { Earned } from "./Earned";
import { Excursions } from "./Excursions";
import { Made } from "./Made";
import { Marks } from "./Marks";
import type { Acts } from "./model";
import { Months } from "./Months";
import { Section } from "./Section";
import { Sides } from "./Sides";
import { Spread } from "./Spread";

interface SurveyProps extends Acts {
  report: Report;
  figures: FigureInfo[];
  held: string;
  /** What each line is worth, where that can be asked. */
  worth?: ReactNode;
}

/** A run judged whole, read from top to bottom: from what speaks against it to all that is needed to make it again. */
export function Survey({ report, figures, held, worth, onShow, tryIt, swings }: SurveyProps) {
  const hasTrades = (report.figures.all?.trades ?? 0) > 0;
  return (
    <div className="survey mx-auto max-w-[1500px]">
      <div className="survey-columns grid grid-cols-[minmax(0,1fr)_minmax(0,430px)] gap-x-6">
        <div className="min-w-0">
          <Against report={report} onShow={onShow} />
          <Marks report={report} figures={figures} />
          <Course report={report} held={held} onShow={onShow} swings={swings} />
          <Months report={report} onShow={onShow} />
          {worth}
        </div>
        <div className="min-w-0">
          <Sides report={report} figures={figures} />
          {hasTrades && (
            <>
              <Charges report={report} />
              <Excursions report={report} onShow={onShow} tryIt={tryIt} />
              <Spread report={report} />
            </>
          )}
        </div>
      </div>
      {hasTrades && <Earned report={report} />}
      <Section name="The rules in plain sentences">
        <ul className="max-w-[90ch]">
          {report.sentences.map((sentence) => (
            <li key={sentence} className="py-[1px]">
              <Said text={sentence} />
            </li>
          ))}
        </ul>
      </Section>
      <Made report={report} />
    </div>
  );
}
