import { useState } from "react";
import type { FigureInfo } from "@/api";
import { setPassMark, type PassMark } from "@/ui";

/** Shares are typed as percent, as they are shown. */
const scaleOf = (figure: FigureInfo) => (figure.unit === "fraction" ? 100 : 1);

interface Props {
  figure: FigureInfo;
  mark: PassMark | undefined;
  onDone: () => void;
}

/** What a figure must reach: at least or at most so much, or nothing. */
export function PassMarkForm({ figure, mark, onDone }: Props) {
  const scale = scaleOf(figure);
  const [way, setWay] = useState<PassMark["way"]>(mark?.way ?? (figure.higher_is_better === false ? "most" : "least"));
  // 55 % is 0.55, and 100 times that is a little more than 55: as many digits as anybody types.
  const [typed, setTyped] = useState(mark ? String(Number((mark.value * scale).toPrecision(12))) : "");
  return (
    <form
      className="block w-72 p-3"
      onSubmit={(event) => {
        event.preventDefault();
        const value = Number(typed);
        setPassMark(figure.key, typed.trim() && Number.isFinite(value) ? { way, value: value / scale } : null);
        onDone();
      }}
    >
      <span className="block text-note text-soft">{figure.meaning}</span>
      <span className="mt-2 flex items-center gap-1">
        <select
          className="field"
          aria-label="At least or at most"
          value={way}
          onChange={(event) => setWay(event.target.value as PassMark["way"])}
        >
          <option value="least">at least</option>
          <option value="most">at most</option>
        </select>
        <input
          autoFocus
          className="field num w-20"
          inputMode="decimal"
          aria-label={`Pass mark of ${figure.name}`}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
        {figure.unit === "fraction" || figure.unit === "percent" ? <span className="text-soft">%</span> : null}
        <button type="submit" className="main-button ml-auto !px-2 !py-0">
          Set
        </button>
        {mark && (
          <button
            type="button"
            className="plain-button !px-2 !py-0"
            onClick={() => (setPassMark(figure.key, null), onDone())}
          >
            None
          </button>
        )}
      </span>
    </form>
  );
}
