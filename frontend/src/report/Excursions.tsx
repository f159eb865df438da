import { scaleLinear } from "d3-scale";
import { useState } from "react";
import type { Report } from "@/api";
import { AxisName, LevelLines, PlumbLines, roundLevels, Tabs } from "@/ui";
import { levelText, resultText, type Acts } from "./model";
import { Section } from "./Section";

const [WIDTH, HEIGHT] = [460, 200];
const [LEFT, RIGHT, TOP, BOTTOM] = [52, 450, 6, 164];
const DAY = 86_400;
const FACES = ["behind", "ahead"] as const;

/** How far trades went against and for the position on the way, and what a nearer stop or target would have kept. */
export function Excursions({ report, onShow, tryIt }: { report: Report } & Acts) {
  const [face, setFace] = useState<(typeof FACES)[number]>("behind");
  const [chosen, setChosen] = useState<number | null>(null);
  const { excursions, unit } = report;
  const isStop = face === "behind";
  const levels = isStop ? excursions.stops : excursions.targets;
  const ways = isStop ? excursions.worst.map((value) => -value) : excursions.best;
  if (excursions.result.length === 0) return null;
  const total = excursions.result.reduce((sum, value) => sum + value, 0);
  const most = levels.at(-1)?.level ?? 1;
  const x = scaleLinear([0, most], [LEFT, RIGHT]);
  const low = Math.min(0, ...excursions.result);
  const high = Math.max(0, ...excursions.result);
  const y = scaleLinear([low, high], [BOTTOM, TOP]);
  const at = levels[Math.min(chosen ?? Math.round(levels.length / 2), levels.length - 1)];
  const isAll = excursions.result.length === (report.figures.all?.trades ?? 0);
  return (
    <Section
      name="How far it went"
      said={`${isStop ? "worst" : "best"} point against result, ${unit === "R" ? "R" : "money"}`}
    >
      <Tabs
        label="Which way"
        names={FACES}
        chosen={face}
        of="excursions"
        onChoose={(next) => (setFace(next), setChosen(null))}
      />
      <div role="tabpanel" id={`face-excursions-${face}`} aria-labelledby={`tab-excursions-${face}`}>
        <svg
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          className="narrow-plot block h-auto w-full"
          role="img"
          aria-label={`${excursions.result.length} trades by their ${isStop ? "worst" : "best"} point`}
        >
          {at && (
            <rect
              x={x(at.level)}
              width={Math.max(0, RIGHT - x(at.level))}
              y={TOP}
              height={BOTTOM - TOP}
              fill="color-mix(in oklab, var(--brass) 12%, transparent)"
            />
          )}
          <LevelLines
            scale={y}
            levels={roundLevels([low, high], 4)}
            text={(level) => resultText(unit, level)}
            from={LEFT}
            to={RIGHT}
          />
          <PlumbLines
            scale={x}
            levels={roundLevels([0, most], 5)}
            text={(level) => levelText(unit, level)}
            from={TOP}
            to={BOTTOM}
          />
          {excursions.result.map((value, place) => (
            <circle
              key={place}
              cx={x(Math.max(0, ways[place]!))}
              cy={y(value)}
              r="2.2"
              fill={value > 0 ? "var(--gain)" : "var(--loss)"}
              opacity="0.75"
              className={onShow ? "cursor-pointer" : ""}
              onClick={() => onShow?.(excursions.time[place]! - DAY, excursions.time[place]! + DAY)}
            />
          ))}
          {at && (
            <line x1={x(at.level)} x2={x(at.level)} y1={TOP} y2={BOTTOM} stroke="var(--brass)" strokeWidth="1.5" />
          )}
          <AxisName x={(LEFT + RIGHT) / 2} y={HEIGHT - 6}>
            {isStop ? "behind at worst" : "ahead at best"}
          </AxisName>
        </svg>
        {at && (
          <p className="text-note" data-testid="nearer">
            <label className="flex items-center gap-2">
              <span className="no-print">
                <input
                  type="range"
                  className="w-32 accent-base-content"
                  aria-label={`A ${isStop ? "stop" : "target"} at`}
                  aria-valuetext={levelText(unit, at.level)}
                  min={0}
                  max={levels.length - 1}
                  value={levels.indexOf(at)}
                  onChange={(event) => setChosen(Number(event.target.value))}
                />
              </span>
              <span>
                A {isStop ? "stop" : "target"} at <b className="num text-brass">{levelText(unit, at.level)}</b> would
                have kept <b className="num">{at.kept}</b> of {excursions.result.length} trades, and all together{" "}
                <b className="num">{resultText(unit, at.total)}</b>
                {isAll && <> instead of {resultText(unit, total)}</>}, by excursions alone.
              </span>
            </label>
            {unit === "R" && tryIt?.(isStop ? "stop" : "target", at.level)}
            <span className="text-soft">
              What else would have been traded, and at what price it would have filled, is left aside.
            </span>
          </p>
        )}
      </div>
    </Section>
  );
}
