import { scaleLinear } from "d3-scale";
import type { Report } from "@/api";
import { moneyText, plain } from "@/ui";
import { Section } from "./Section";

const ROW = 15;
const [LEFT, RIGHT] = [84, 336];

/** From gross to net: what each kind of cost took. */
export function Charges({ report }: { report: Report }) {
  const { charges } = report;
  let sum = 0;
  const steps = charges.map((charge) => {
    const isWhole = charge.name === "gross" || charge.name === "net";
    const from = isWhole ? 0 : sum;
    sum = isWhole ? charge.money : sum + charge.money;
    return { ...charge, from, to: sum };
  });
  const ends = steps.flatMap((step) => [step.from, step.to]);
  const x = scaleLinear([Math.min(0, ...ends), Math.max(0, ...ends, 1)], [LEFT, RIGHT]);
  return (
    <Section name="From gross to net" said="in the account's money">
      <svg
        viewBox={`0 0 460 ${steps.length * ROW + 4}`}
        className="narrow-plot block h-auto w-full"
        role="img"
        aria-label={steps.map((step) => `${step.name} ${moneyText(step.money)}`).join(", ")}
      >
        <line x1={x(0)} x2={x(0)} y1="0" y2={steps.length * ROW + 2} stroke="var(--soft)" />
        {steps.map((step, place) => {
          const tone = step.name === "gross" ? "var(--soft)" : step.money < 0 ? "var(--loss)" : "var(--gain)";
          const isWhole = step.name === "gross" || step.name === "net";
          return (
            <g key={step.name} fontSize="11.5">
              <text
                x="0"
                y={place * ROW + 12}
                fill={isWhole ? "var(--ink)" : "var(--soft)"}
                fontWeight={isWhole ? 600 : 400}
              >
                {step.name}
              </text>
              <rect
                x={Math.min(x(step.from), x(step.to))}
                width={Math.max(0.5, Math.abs(x(step.to) - x(step.from)))}
                y={place * ROW + 3}
                height={ROW - 6}
                fill={tone}
                opacity="0.85"
              />
              {step.share !== null && (
                <text x="395" y={place * ROW + 12} textAnchor="end" fill="var(--soft)" className="num">
                  {plain(step.share, 1)} %
                </text>
              )}
              <text
                x="458"
                y={place * ROW + 12}
                textAnchor="end"
                className="num"
                fill={tone}
                fontWeight={isWhole ? 600 : 400}
              >
                {moneyText(step.money)}
              </text>
            </g>
          );
        })}
      </svg>
    </Section>
  );
}
