import { plain, scaleOf } from "@/ui";

const HEIGHT = 26;

/** How often a condition came in every year: a pillar a year, all on one scale. */
export function Years({ yearly }: { yearly: Record<string, number> }) {
  const years = Object.entries(yearly);
  const tall = scaleOf([0, 1, ...years.map(([, count]) => count)], [0, HEIGHT - 3]);
  const step = Math.max(4, Math.min(16, Math.floor(96 / years.length)));
  const said = years.map(([year, count]) => `${year}: ${plain(count, 0)}`).join(", ");
  return (
    <svg width={step * years.length} height={HEIGHT} role="img" aria-label={said} className="ml-auto block">
      <title>{said}</title>
      {years.map(([year, count], place) => (
        <rect
          key={year}
          x={place * step}
          y={HEIGHT - 1 - tall(count)}
          width={step - 2}
          height={tall(count)}
          fill="var(--deep)"
          opacity="0.55"
        />
      ))}
      <line x1="0" x2={step * years.length} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} stroke="var(--soft)" />
    </svg>
  );
}
