import { ChevronDown, ChevronLeft, ChevronRight, ChevronUp } from "lucide-react";
import type { ReactNode } from "react";
import { PopOver } from "@/ui";
import type { LaneRow } from "./useLanes";

interface Props {
  rows: LaneRow[];
  onShow: (name: string, isShown: boolean) => void;
  onMove: (name: string, by: 1 | -1) => void;
  /** Go to the next bar on which a lane turns yes, or the one before. */
  onJump: (name: string, way: 1 | -1) => void;
}

/** Which conditions have a lane, in what order, and the way to the next time each was yes. */
export function LaneChooser({ rows, onShow, onMove, onJump }: Props) {
  if (rows.length === 0) return null;
  return (
    <PopOver
      face={`Lanes ${rows.filter((row) => row.isShown).length} of ${rows.length}`}
      title="Choose and order the lanes; jump along them"
      className="bar-button"
      side="right"
    >
      {() => (
        <ul aria-label="Lanes" className="max-h-80 w-[26rem] overflow-auto py-1">
          {rows.map((row, place) => (
            <li key={row.name} className="flex items-center gap-1 px-2 py-[2px]">
              <label className="flex min-w-0 flex-1 cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={row.isShown}
                  onChange={(event) => onShow(row.name, event.target.checked)}
                />
                <span className="num truncate text-note" title={row.name}>
                  {row.name}
                </span>
                <span className="flex-none text-small text-soft italic">
                  {row.kind === "condition" ? "" : row.kind}
                </span>
              </label>
              <Small label={`${row.name}: the time before`} onPress={() => onJump(row.name, -1)}>
                <ChevronLeft size={13} aria-hidden />
              </Small>
              <Small label={`${row.name}: the next time`} onPress={() => onJump(row.name, 1)}>
                <ChevronRight size={13} aria-hidden />
              </Small>
              <Small label={`${row.name}: higher`} disabled={place === 0} onPress={() => onMove(row.name, -1)}>
                <ChevronUp size={13} aria-hidden />
              </Small>
              <Small
                label={`${row.name}: lower`}
                disabled={place === rows.length - 1}
                onPress={() => onMove(row.name, 1)}
              >
                <ChevronDown size={13} aria-hidden />
              </Small>
            </li>
          ))}
        </ul>
      )}
    </PopOver>
  );
}

function Small({
  label,
  disabled,
  onPress,
  children,
}: {
  label: string;
  disabled?: boolean;
  onPress: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className="cursor-pointer p-[3px] text-soft hover:text-base-content disabled:opacity-40"
      aria-label={label}
      title={label}
      disabled={disabled}
      onClick={onPress}
    >
      {children}
    </button>
  );
}
