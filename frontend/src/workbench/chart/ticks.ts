import { timeText } from "@/ui";

export interface Tick {
  bar: number;
  label: string;
}

type Unit = "year" | "month" | "day" | "hours" | "hour" | "quarter" | "minute";
const UNITS: Unit[] = ["year", "month", "day", "hours", "hour", "quarter", "minute"];

/** Local numbers whose change starts a year, a month, a day, six hours, an hour, a quarter of an hour. */
function stamps(time: number, offset: number): Record<Unit, number> {
  const local = new Date((time + offset) * 1000);
  const day = Math.floor((time + offset) / 86_400);
  const hour = Math.floor((time + offset) / 3600);
  const minute = Math.floor((time + offset) / 60);
  return {
    year: local.getUTCFullYear(),
    month: local.getUTCFullYear() * 12 + local.getUTCMonth(),
    day,
    hours: Math.floor(hour / 6),
    hour,
    quarter: Math.floor(minute / 15),
    minute,
  };
}

const offsets = new Map<string, number>();

/** Seconds that a zone is ahead of UTC at a moment, looked up once for each day. */
export function zoneOffset(time: number, zone: string): number {
  const key = `${zone} ${Math.floor(time / 86_400)}`;
  const known = offsets.get(key);
  if (known !== undefined) return known;
  const parts = new Intl.DateTimeFormat("en-US", { timeZone: zone, timeZoneName: "longOffset" }).formatToParts(
    new Date(time * 1000),
  );
  const name = parts.find((part) => part.type === "timeZoneName")?.value ?? "GMT";
  const found = /GMT([+-])(\d{2}):(\d{2})/.exec(name);
  const offset = found ? (found[1] === "-" ? -1 : 1) * (Number(found[2]) * 3600 + Number(found[3]) * 60) : 0;
  offsets.set(key, offset);
  return offset;
}

const known = new WeakMap<number[], Record<Unit, number>[]>();

/** The stamps of a window's times, worked out once for each window. */
function stampsOf(time: number[], zone: string): Record<Unit, number>[] {
  let found = known.get(time);
  if (!found) {
    found = time.map((moment) => stamps(moment, zoneOffset(moment, zone)));
    known.set(time, found);
  }
  return found;
}

/** Where the time axis is marked: the finest unit whose marks stand at least `apart` pixels from each other. */
export function timeTicks(
  x: number[],
  time: number[],
  zone: string,
  a: number,
  b: number,
  pixels: number,
  apart = 74,
): Tick[] {
  const perBar = pixels / Math.max(1e-9, b - a);
  let start = x.findIndex((bar) => bar >= a);
  if (start < 0) return [];
  start = Math.max(1, start);
  const all = stampsOf(time, zone);
  let best: Tick[] = [];
  for (const unit of UNITS) {
    const found: Tick[] = [];
    for (let i = start; i < x.length && x[i]! <= b; i++) {
      if ((x[i]! - a) * perBar < 18) continue; // its label would be cut off at the edge
      const before = all[i - 1]!;
      const now = all[i]!;
      if (before[unit] === now[unit]) continue;
      const form =
        before.year !== now.year
          ? "year"
          : before.day !== now.day || before.month !== now.month
            ? unit === "month" || unit === "year"
              ? "month"
              : "day"
            : "time";
      const label = timeText(time[i]!, zone, form);
      const close = found.length > 0 && (x[i]! - found[found.length - 1]!.bar) * perBar < apart;
      if (!close) found.push({ bar: x[i]!, label });
      else if (unit === "year" || before.month !== now.month) found[found.length - 1] = { bar: x[i]!, label };
    }
    if (best.length >= 3 || found.length < best.length) break;
    best = found;
  }
  return best;
}
