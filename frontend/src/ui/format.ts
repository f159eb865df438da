import type { FigureInfo } from "@/api";

const MINUS = "−";

const numbers: Intl.NumberFormat[] = []; // by digits: making one takes a hundred times as long as using it

/** A number with thousands separators and a true minus sign. */
export function plain(value: number, digits: number): string {
  const format = (numbers[digits] ??= new Intl.NumberFormat("en-GB", {
    minimumFractionDigits: digits,
    maximumFractionDigits: digits,
  }));
  const text = format.format(Math.abs(value));
  const isZero = Number(text.replaceAll(",", "")) === 0;
  return value < 0 && !isZero ? MINUS + text : text;
}

export function signed(value: number, digits: number): string {
  const text = plain(value, digits);
  return value > 0 && !/^[0.,]+$/.test(text) ? `+${text}` : text;
}

/** Money with its sign; amounts under ten units show their decimals. */
export function moneyText(value: number): string {
  return signed(value, moneyDigits(value));
}

/** Money without a plus. */
export function amountText(value: number): string {
  return plain(value, moneyDigits(value));
}

/** How many decimals an amount of money needs: as many as tell it, where it is small. */
function moneyDigits(value: number): number {
  const size = Math.abs(value);
  if (size === 0 || size >= 9.995) return 0;
  return size >= 0.01 ? 2 : Math.min(8, 1 - Math.floor(Math.log10(size)));
}

/** The tone of money: none for nothing and for what is unknown. */
export function moneyTone(value: number | null | undefined): string {
  return !value ? "" : value > 0 ? "text-gain" : "text-loss";
}

/** A figure as it is shown everywhere; unknown ones as a dash. */
export function figureText(info: FigureInfo, value: number | null | undefined): string {
  if (value === null || value === undefined) return "–";
  switch (info.unit) {
    case "money":
      return info.key === "net_profit" ? moneyText(value) : amountText(value);
    case "fraction":
      return info.key === "return" || info.key === "yearly_growth" || info.key === "holding_return"
        ? `${signed(value * 100, 1)} %`
        : `${plain(value * 100, 1)} %`;
    case "percent":
      return `${plain(value, 1)} %`;
    case "count":
      return plain(value, 0);
    case "bars":
    case "days":
      return `${plain(value, 1)} ${info.unit}`;
    case "R":
      return `${signed(value, 2)} R`;
    default:
      return plain(value, 2);
  }
}

/** The change from a pinned value: its text and whether it is better (null when neither). */
export function difference(
  info: FigureInfo,
  value: number | null | undefined,
  pinned: number | null | undefined,
): { text: string; better: boolean | null } | null {
  if (value === null || value === undefined || pinned === null || pinned === undefined) return null;
  const change = value - pinned;
  const scale = info.unit === "fraction" ? 100 : 1;
  const digits = info.unit === "count" ? 0 : info.unit === "ratio" || info.unit === "R" ? 2 : 1;
  const text = info.unit === "money" ? `(${moneyText(change)})` : `(${signed(change * scale, digits)})`;
  const better =
    info.higher_is_better === null || Math.abs(change) < 1e-12 ? null : change > 0 === info.higher_is_better;
  return { text, better };
}

const cache = new Map<string, Intl.DateTimeFormat>();

/** Time parts in a market's zone. */
export function timeText(
  moment: number,
  zone: string,
  parts: "time" | "day" | "date" | "fullDate" | "month" | "year" | "full",
): string {
  const key = `${zone} ${parts}`;
  let format = cache.get(key);
  if (!format) {
    const options: Record<typeof parts, Intl.DateTimeFormatOptions> = {
      time: { hour: "2-digit", minute: "2-digit", hourCycle: "h23" },
      day: { day: "numeric", month: "short" },
      date: { day: "numeric", month: "short", year: "2-digit" },
      fullDate: { day: "numeric", month: "short", year: "numeric" },
      month: { month: "short", year: "numeric" },
      year: { year: "numeric" },
      full: { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit", hourCycle: "h23" },
    };
    format = new Intl.DateTimeFormat("en-GB", { timeZone: zone, ...options[parts] });
    cache.set(key, format);
  }
  return format
    .format(new Date(moment * 1000))
    .replace(",", "")
    .replace("Sept", "Sep");
}

export function dateText(iso: string): string {
  const at = Date.parse(iso);
  return Number.isNaN(at) ? iso : timeText(at / 1000, "UTC", "fullDate"); // an address may hold any word for a day
}

/** How long ago something was, for people. */
export function agoText(ms: number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  if (seconds < 90) return `${seconds} s ago`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min ago`;
  return `${Math.round(seconds / 3600)} h ago`;
}

/** How long something will take, for people. */
export function durationText(seconds: number): string {
  if (seconds < 1) return "under a second";
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}
