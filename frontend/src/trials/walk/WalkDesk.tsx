import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { FigureInfo, SetupState, Walk, Varying } from "@/api";
import { inputText } from "@/setup";
import { figureText, Loading, moneyTone, NumberField, OneStop, Picker, plain, signed, useKept } from "@/ui";
import type { DeskProps } from "../desk";
import { EquityLines, LineKey, type Line } from "../EquityLines";
import { axesOf, axisLabel, finishedRuns, openedState, orderOf, spanText, varyText } from "../model";
import { walkQuery, type Seen } from "../queries";
import { Row } from "../RunCard";
import { ObjectivePicker } from "../ObjectivePicker";
import { NothingYet, TrialFrame } from "../TrialFrame";
import { useTrial } from "../useTrial";
import { VaryList } from "../VaryList";
import { Timeline } from "./Timeline";

interface Windows {
  by: "count" | "length";
  count: number;
  ratio: number;
  inside: number;
  outside: number;
  anchored: boolean;
}

/** Inputs chosen anew on every window, and what they earned on the days after it. */
export function WalkDesk({
  head,
  of,
  state,
  setup,
  varying,
  figures,
  markets,
  originOf,
  onState,
  onOpen,
  onReport,
}: DeskProps) {
  const symbols = useMemo(() => markets.map((market) => market.symbol), [markets]);
  const [axes, setAxes] = useKept(
    `walk axes ${of} ${state.x ?? ""} ${state.y ?? ""} ${varying.map((item) => item.name).join()}`,
    () =>
      axesOf(varying, [state.x, state.y], setup, symbols).filter(
        (axis) => axis.name !== "market" && axis.name !== "timeframe",
      ),
  );
  const [windows, setWindows] = useKept<Windows>("walk windows", {
    by: "count",
    count: 6,
    ratio: 4,
    inside: 200,
    outside: 50,
    anchored: false,
  });
  const [objective, setObjective] = useKept("objective", "return_over_drawdown");
  const [minTrades, setMinTrades] = useKept("walk least trades", 10);
  const [choose, setChoose] = useKept<"value" | "neighbours">("walk choose", "value");
  const on = axes.filter((axis) => axis.isOn);
  const { by, count, ratio, anchored } = windows;
  const [inside, outside] = by === "length" ? [windows.inside, windows.outside] : [0, 0];
  const order = orderOf("walk", setup, {
    vary: on.map(varyText),
    objective,
    min_trades: minTrades,
    windows: { count, ratio, inside, outside, anchored },
  });
  const control = useTrial(order, on.length > 0, state.trial, (trial) => onState({ ...state, trial }));
  const { trial } = control;
  const seen: Seen = { number: trial?.id ?? 0, done: finishedRuns(trial), objective, minTrades };
  const walk = useQuery({ ...walkQuery(seen, choose), enabled: trial !== undefined });
  const given = ({ name, default: usual }: Varying) =>
    setup.inputs?.[name] === undefined ? usual : inputText(undefined, setup.inputs[name]);
  const defaults = Object.fromEntries([
    ...varying.map((item) => [item.name, given(item)]),
    ["sides", setup.sides ?? "both"],
  ]) as Record<string, string>;
  const field = (name: "count" | "ratio" | "inside" | "outside", label: string) => (
    <label className="flex items-center justify-between gap-2 py-[2px] text-soft">
      {label}
      <NumberField
        least={name === "ratio" ? 0.1 : 1}
        isWhole={name !== "ratio"}
        className="field w-20 text-right text-base-content"
        value={windows[name]}
        onChange={(value) => setWindows({ ...windows, [name]: value })}
      />
    </label>
  );
  const error = control.error ?? walk.error;
  return (
    <TrialFrame
      head={head}
      kind="walk"
      control={control}
      error={error}
      onTrial={(number) => onState({ ...state, trial: number })}
      sentence={
        <>
          Walk <b className="num text-base-content">{on.map((axis) => axis.name).join(" × ") || "nothing yet"}</b> of{" "}
          {head.script} on {head.market} at {head.timeframe} {head.conditions} forward,{" "}
          <ObjectivePicker
            objectives={head.objectives}
            objective={objective}
            onObjective={setObjective}
            minTrades={minTrades}
            onMinTrades={setMinTrades}
          />
        </>
      }
      settings={
        <>
          <h2 className="mb-1">What is chosen anew</h2>
          <VaryList axes={axes} defaults={defaults} onChange={setAxes} />
          <h2 className="mt-4">Windows</h2>
          <p className="mt-1">
            <Picker
              label="Windows by"
              value={by}
              options={[
                { value: "count", label: "so many" },
                { value: "length", label: "of so many days" },
              ]}
              onChange={(value) => setWindows({ ...windows, by: value as Windows["by"] })}
            />
            ,{" "}
            <Picker
              label="Where windows begin"
              value={anchored ? "anchored" : "rolling"}
              options={[
                { value: "rolling", label: "rolling on" },
                { value: "anchored", label: "all from the first day" },
              ]}
              onChange={(value) => setWindows({ ...windows, anchored: value === "anchored" })}
            />
          </p>
          {by === "count" ? (
            <>
              {field("count", "windows")}
              {field("ratio", "days inside for each outside")}
            </>
          ) : (
            <>
              {field("inside", "trading days inside")}
              {field("outside", "trading days outside")}
            </>
          )}
          <p className="mt-1 text-soft">
            chosen by{" "}
            <Picker
              label="Chosen by"
              value={choose}
              options={[
                { value: "value", label: "the best value" },
                { value: "neighbours", label: "the best neighbours" },
              ]}
              onChange={(value) => setChoose(value as "value" | "neighbours")}
            />
          </p>
        </>
      }
    >
      {!trial ? (
        <NothingYet>
          {state.trial !== undefined && !control.error ? (
            <Loading what="Reading the trial" />
          ) : (
            <p className="max-w-md">
              {control.plan.data?.parts.length
                ? `${plain(control.plan.data.parts.length, 0)} windows: the first chooses on ${spanText(control.plan.data.parts[0]!)}. `
                : ""}
              Inputs are chosen on each window and traded on the days after it; the days outside, end to end, are what
              the choosing would have earned.
            </p>
          )}
        </NothingYet>
      ) : !walk.data ? (
        <Loading what="Reading the windows" />
      ) : (
        <Found
          walk={walk.data}
          figures={figures}
          onReport={() =>
            onReport({
              ...state,
              trial: trial.id,
              choose: choose === "neighbours" ? "neighbours" : undefined,
              objective: walk.data.objective,
            })
          }
          open={(chosen, span) =>
            onOpen({ ...openedState(trial, { inputs: chosen }, originOf(trial)), from: span.first, to: span.last })
          }
        />
      )}
    </TrialFrame>
  );
}

type Chosen = NonNullable<Walk["windows"][number]["chosen"]>;

function Found({
  walk,
  figures,
  onReport,
  open,
}: {
  walk: Walk;
  figures: FigureInfo[];
  onReport: () => void;
  open: (chosen: Chosen, span: { first: string; last: string }) => SetupState | void;
}) {
  const goal = figures.find((figure) => figure.key === walk.objective)!;
  const net = figures.find((figure) => figure.key === "net_profit")!;
  const lines: Line[] = [
    { name: "chosen anew", times: walk.stitched.times, values: walk.stitched.equity, stroke: "var(--deep)" },
    ...(walk.fixed
      ? [
          {
            name: "the fixed setting",
            times: walk.fixed.times,
            values: walk.fixed.equity,
            stroke: "var(--brass)",
            dash: "5 4",
          },
        ]
      : []),
  ];
  const [low, high] = [walk.daily_range?.[0] ?? 0, walk.daily_range?.[1] ?? 0];
  const edges = walk.windows.map((window) => Date.parse(window.outside.first) / 1000);
  return (
    <>
      <div className="flex min-w-0 flex-1 flex-col overflow-auto p-3">
        <p className="pb-2 text-sentence" data-testid="walk-sentence">
          {walk.sentence}
        </p>
        <p className="pb-2">
          {walk.windows.some((window) => window.chosen) && (
            <button
              type="button"
              className="plain-button !py-0"
              title="The days outside judged whole, as one run"
              onClick={onReport}
            >
              Report
            </button>
          )}
        </p>
        {walk.overfitting && (
          <p className="pb-2 text-soft" data-testid="overfitting">
            {walk.overfitting.sentence}
          </p>
        )}
        {walk.windows.length === 0 ? (
          <p className="py-4 text-soft">No window is finished yet.</p>
        ) : (
          <Timeline walk={walk} onOpen={(place) => open(walk.windows[place]!.chosen!, walk.windows[place]!.outside)} />
        )}
        <p className="mt-3 flex items-baseline gap-4">
          <b>Equity on the days outside</b> <LineKey lines={lines} />
        </p>
        <div className="h-[190px] flex-none">
          <EquityLines lines={lines} edges={edges} label="Equity on the days outside" />
        </div>
        <OneStop>
          <table className="num mt-2 text-note" data-testid="windows">
            <thead>
              <tr className="border-b border-line font-sans text-soft">
                {[
                  "inside",
                  goal.name + " inside",
                  "outside",
                  "Net outside",
                  "Trades",
                  Object.keys(walk.windows[0]?.chosen ?? {}).join(" × ") || "chosen",
                ].map((name, place) => (
                  <th
                    key={name}
                    scope="col"
                    className={`px-2 py-1 font-normal ${place === 0 ? "text-left" : place === 2 || place === 5 ? "pl-6 text-left" : "text-right"}`}
                  >
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {walk.windows.map((window) => (
                <tr key={window.outside.first} className="border-b border-line">
                  <td className="px-2 py-[2px] whitespace-nowrap">{spanText(window.inside)}</td>
                  <td className="px-2 text-right">{figureText(goal, window.inside_figures?.[goal.key])}</td>
                  <td className="pl-6 whitespace-nowrap">
                    {window.chosen ? (
                      <button
                        type="button"
                        className="cursor-pointer underline decoration-dotted"
                        title="Open these days as a run"
                        onClick={() => open(window.chosen!, window.outside)}
                      >
                        {spanText(window.outside)}
                      </button>
                    ) : (
                      spanText(window.outside)
                    )}
                  </td>
                  <td className={`px-2 text-right ${moneyTone(window.outside_figures?.net_profit)}`}>
                    {figureText(net, window.outside_figures?.net_profit)}
                  </td>
                  <td className="px-2 text-right">
                    {window.outside_figures ? plain(window.outside_figures.trades ?? 0, 0) : "–"}
                  </td>
                  <td className="pl-6 whitespace-nowrap">
                    {window.chosen ? Object.values(window.chosen).map(axisLabel).join(" × ") : "no run counts"}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </OneStop>
      </div>
      <aside
        className="w-[258px] flex-none overflow-auto border-l border-line bg-base-100 p-4"
        data-testid="walk-judged"
      >
        <h2 className="mb-1">A day outside</h2>
        <p className="mb-1">
          <b className={`num text-title ${low > 0 ? "text-gain" : high < 0 ? "text-loss" : "text-brass"}`}>
            {walk.daily === null ? "–" : signed(walk.daily, 1)}
          </b>
        </p>
        <p className="mb-4 text-soft">
          {walk.daily_range
            ? `on average, between ${signed(low, 1)} and ${signed(high, 1)} with 95 %`
            : "too few days for a band"}
        </p>
        <h2 className="mb-1">Efficiency</h2>
        <p className="mb-4 text-soft">
          <b className="num text-base-content">
            {walk.efficiency === null ? "–" : `${plain(walk.efficiency * 100, 0)} %`}
          </b>{" "}
          net a day outside by net a day inside, of the same choices
          {walk.efficiency === null ? ": told from two windows on that earned inside" : ""}
        </p>
        <h2 className="mb-1">Chosen anew</h2>
        <dl className="mb-4">
          <Row name="net" value={signed(walk.stitched.net, 0)} />
          <Row name="max drawdown" value={plain(walk.stitched.drawdown, 0)} />
          <Row name="windows that earned" value={`${plain(walk.earned, 0)} of ${plain(walk.windows.length, 0)}`} />
          {walk.windows.length < walk.windows_in_all && (
            <Row name="windows to come" value={plain(walk.windows_in_all - walk.windows.length, 0)} />
          )}
        </dl>
        {walk.fixed && (
          <>
            <h2 className="mb-1">The fixed setting</h2>
            <dl>
              <Row name="net" value={signed(walk.fixed.net, 0)} />
              <Row name="max drawdown" value={plain(walk.fixed.drawdown, 0)} />
            </dl>
          </>
        )}
      </aside>
    </>
  );
}
