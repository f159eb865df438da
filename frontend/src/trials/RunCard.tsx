import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, unwrap, type FigureInfo, type Trial } from "@/api";
import { figureText } from "@/ui";
import { axisLabel, SIGNAL, spanText } from "./model";
import { runQuery, trialQuery, type Seen } from "./queries";
import { lookText } from "./SplitEditor";

interface Props {
  heading: string;
  trial: Trial;
  seen: Seen;
  point: number;
  figures: FigureInfo[];
  /** The locked part is asked for here. */
  canLook?: boolean;
  children?: ReactNode;
}

/** One run of a trial: its inputs, what it earned, what its neighbours did. */
export function RunCard({ heading, trial, seen, point, figures, canLook, children }: Props) {
  const found = useQuery(runQuery(seen, point));
  const shown = [...new Set([seen.objective, "net_profit", "max_drawdown_percent", "trades"])].map((key) =>
    figures.find((figure) => figure.key === key)!,
  );
  const goal = shown[0]!;
  if (found.error) return null;
  return (
    <div className="mb-5" data-card={heading} aria-busy={found.isPlaceholderData}>
      <h2 className="mb-1">{heading}</h2>
      {found.data && (
        <>
          {found.data.label && <p className="num border-b border-line pb-1">{found.data.label}</p>}
          <dl>
            {trial.axes
              .filter((axis) => axis.name !== SIGNAL)
              .map((axis) => (
                <Row key={axis.name} name={axis.name} value={axisLabel(found.data.inputs[axis.name]!)} />
              ))}
            <Row name={goal.name.toLowerCase()} value={figureText(goal, found.data.figures?.[goal.key])} />
            {trial.order.kind !== "search" && (
              <Row name="its neighbours" value={figureText(goal, found.data.neighbourhood)} />
            )}
            {found.data.outside && <Row name="out of sample" value={figureText(goal, found.data.outside[goal.key])} />}
            {shown.slice(1).map((info) => (
              <Row
                key={info.key}
                name={info.name.toLowerCase()}
                value={figureText(info, found.data.figures?.[info.key])}
              />
            ))}
          </dl>
          {found.data.error && <p className="text-loss">{found.data.error}</p>}
          {children}
          {canLook && trial.held_back && <Locked key={point} trial={trial} point={point} goal={goal} />}
        </>
      )}
    </div>
  );
}

/** The part held back: shut until asked for, and every look counted for good. */
function Locked({ trial, point, goal }: { trial: Trial; point: number; goal: FigureInfo }) {
  const client = useQueryClient();
  const look = useMutation({
    mutationFn: () =>
      unwrap(api.POST("/api/trials/{number}/looks", { params: { path: { number: trial.id } }, body: { point } })),
    onSuccess: () => void client.invalidateQueries({ queryKey: trialQuery(trial.id).queryKey, exact: true }),
  });
  const span = trial.held_back!;
  return (
    <div className="mt-3 border-t border-line pt-2" data-testid="held-back">
      <p className="text-soft">
        Held back: {spanText(span)},{" "}
        <b className={`whitespace-nowrap ${trial.looks > 0 ? "text-loss" : ""}`}>{lookText(trial.looks)}</b> so far
      </p>
      {look.data ? (
        <dl>
          <Row name={`${goal.name.toLowerCase()}, held back`} value={figureText(goal, look.data.figures[goal.key])} />
        </dl>
      ) : (
        <button
          type="button"
          className="plain-button mt-1"
          disabled={look.isPending}
          title="A part that was looked at is no longer unseen: the look is counted and shown from now on"
          onClick={() => look.mutate()}
        >
          Look at it, counted
        </button>
      )}
      {look.error && <p className="text-loss">{look.error.message}</p>}
    </div>
  );
}

export function Row({ name, value }: { name: string; value: string }) {
  return (
    <div className="flex justify-between gap-3 border-b border-line py-[3px]">
      <dt className="text-soft">{name}</dt>
      <dd className="num text-right font-semibold">{value}</dd>
    </div>
  );
}
