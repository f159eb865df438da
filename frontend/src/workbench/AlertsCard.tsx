import type { Run } from "@/api";
import { Dialog, plain, timeText } from "@/ui";

interface Props {
  run: Run;
  /** Whether the run is of the text and setup in view. */
  isOfView: boolean;
  onGo: (moment: number) => void;
  onClose: () => void;
}

/** What the script's alerts said on the bars of the run, the newest first; a press goes to the bar. */
export function AlertsCard({ run, isOfView, onGo, onClose }: Props) {
  const { count, newest } = run.alerts;
  return (
    <Dialog title="Alerts of this run" onClose={onClose}>
      {!isOfView && <p className="border-b border-line px-4 py-2 text-loss">These are of the text as it was before.</p>}
      {count === 0 && (
        <p className="p-4 text-soft">
          No alert came up. A line such as <code>alert up &quot;up at {"{close}"}&quot;</code> says what to tell, and
          when.
        </p>
      )}
      {count > newest.length && (
        <p className="px-4 pt-3 text-soft">
          The newest <span className="num">{plain(newest.length, 0)}</span> of{" "}
          <span className="num">{plain(count, 0)}</span>
        </p>
      )}
      <ul aria-label="Alerts" className="p-2">
        {[...newest].reverse().map((alert, place) => {
          const moment = Date.parse(alert.time) / 1000;
          return (
            <li key={place}>
              <button
                type="button"
                className="flex w-full gap-3 rounded px-2 py-1 text-left hover:bg-brass/10 focus-visible:bg-brass/10"
                onClick={() => onGo(moment)}
              >
                <span className="num w-36 flex-none text-right text-soft">{timeText(moment, run.zone, "full")}</span>
                <span>{alert.text}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </Dialog>
  );
}
