import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { isTogether, type Varying } from "@/api";
import { inputText } from "@/setup";
import { Loading, NumberField, Picker, plain, useKept } from "@/ui";
import type { DeskProps } from "../desk";
import {
  axesOf,
  drawnRuns,
  firstView,
  gridOf,
  openedState,
  orderOf,
  varyText,
  type Design,
  type ViewChoice,
} from "../model";
import { runQuery, surfaceQuery, type Seen } from "../queries";
import { RunCard } from "../RunCard";
import { RunTable } from "../RunTable";
import { SplitEditor } from "../SplitEditor";
import { Tried } from "../Tried";
import { ObjectivePicker } from "../ObjectivePicker";
import { NothingYet, TrialFrame } from "../TrialFrame";
import { useTrial } from "../useTrial";
import { VaryList } from "../VaryList";
import { Curves } from "./Curves";
import { DepthChart } from "./DepthChart";
import { FrontView } from "./FrontView";
import { InOut } from "./InOut";
import { SoundingLine } from "./SoundingLine";
import { ViewBar } from "./ViewBar";

const VIEWS = ["Surface", "Curves", "Table", "In / out", "Front"] as const;
type View = (typeof VIEWS)[number];

/** Many runs of a script with other inputs: what varies at the left, the surface in the middle, what it means at the right. */
export function SweepDesk({
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
  const client = useQueryClient();
  const symbols = useMemo(() => markets.map((market) => market.symbol), [markets]);
  const [axes, setAxes] = useKept(
    `sweep axes ${of} ${state.x ?? ""} ${state.y ?? ""} ${varying.map((item) => item.name).join()} ${isTogether(setup) ? "together" : symbols.join()}`,
    () => axesOf(varying, [state.x, state.y], setup, symbols),
  );
  const [design, setDesign] = useKept<Design>("sweep design", { kind: "grid", runs: 200 });
  const [split, setSplit] = useKept(`sweep split ${of}`, "");
  const [objective, setObjective] = useKept("objective", "return_over_drawdown");
  const [minTrades, setMinTrades] = useKept("least trades", 30);
  const [chosen, setChosen] = useKept<number | null>(`sweep chosen ${state.trial}`, null);
  const [view, setView] = useKept<View>("sweep view", "Surface");
  const [looks, setLooks] = useKept<{ trial: number; choice: ViewChoice } | null>(`sweep looks ${state.trial}`, null);
  const on = axes.filter((axis) => axis.isOn);
  const isVaried = (name: string) => on.some((axis) => axis.name === name);
  const order = orderOf("sweep", setup, {
    vary: on.map(varyText),
    objective,
    min_trades: minTrades,
    design: design.kind,
    runs: design.kind === "grid" ? 0 : design.runs,
    split: split.trim(),
  });
  const control = useTrial(order, on.length > 0, state.trial, (trial) => {
    setChosen(null);
    onState({ ...state, trial });
  });
  const { trial } = control;
  const seen: Seen = { number: trial?.id ?? 0, done: drawnRuns(trial), objective, minTrades };
  const choice = trial && (looks?.trial === trial.id ? looks.choice : firstView(trial));
  const surface = useQuery({
    ...surfaceQuery(seen, choice ?? { x: "", y: null, held: {}, fold: "middle", part: 0 }),
    enabled: trial !== undefined,
  });
  const info = figures.find((figure) => figure.key === objective);
  const grid = useMemo(
    () => (trial && surface.data && choice ? gridOf(trial, surface.data, choice) : null),
    [trial, surface.data, choice],
  );
  const open = async (point: number, go = onOpen) => {
    const found = await client.fetchQuery(runQuery(seen, point));
    go(openedState(trial!, found, originOf(trial!)));
  };
  const isSplit = (trial?.parts.length ?? 0) > 1;
  const offered = VIEWS.filter((name) => name !== "In / out" || isSplit);
  const face = offered.includes(view) ? view : "Surface";
  const given = ({ name, default: usual }: Varying) =>
    setup.inputs?.[name] === undefined ? usual : inputText(undefined, setup.inputs[name]);
  const defaults = Object.fromEntries([
    ...varying.map((item) => [item.name, given(item)]),
    ["timeframe", setup.timeframe],
    ["market", setup.market],
    ["sides", setup.sides ?? "both"],
  ]) as Record<string, string>;
  const error = control.error ?? surface.error;
  const isFewer = design.kind !== "grid" && control.plan.data && control.plan.data.total < design.runs;
  const shown = {
    grid,
    info,
    plateau: surface.data?.plateau ?? null,
    rocks: surface.data?.rocks ?? [],
    chosen,
    onChoose: setChosen,
    onOpen: (point: number) => void open(point),
  };
  return (
    <TrialFrame
      head={head}
      kind="sweep"
      control={control}
      error={error}
      onTrial={(number) => {
        setChosen(null);
        onState({ ...state, trial: number });
      }}
      sentence={
        <>
          Sweep <b className="num text-base-content">{on.map((axis) => axis.name).join(" × ") || "nothing yet"}</b> of{" "}
          {head.script}{" "}
          {isVaried("market") ? (
            <>
              on{" "}
              <b className="num text-base-content">
                {axes.find((axis) => axis.name === "market")?.chosen.length} markets
              </b>
            </>
          ) : (
            <>on {head.market}</>
          )}{" "}
          {isVaried("timeframe") ? null : <>at {head.timeframe}</>} {head.conditions},{" "}
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
          <h2 className="mb-1 flex items-baseline">
            What varies
            <span className="num ml-auto font-normal text-soft">
              {control.plan.data?.axes.map((axis) => axis.values.length).join(" × ")}
            </span>
          </h2>
          {varying.length === 0 && (
            <p className="text-soft">
              This script has no inputs. Write numbers as inputs: input fast = 12 from 4 to 40. Timeframe, market and
              sides can vary all the same.
            </p>
          )}
          <VaryList axes={axes} defaults={defaults} onChange={setAxes} />
          <h2 className="mt-4">Which of them</h2>
          <p className="mt-1">
            <Picker
              label="Which points"
              value={design.kind}
              options={[
                { value: "grid", label: "every combination" },
                { value: "random", label: "some at random" },
                { value: "latin", label: "a Latin hypercube" },
              ]}
              onChange={(kind) => setDesign({ ...design, kind: kind as Design["kind"] })}
            />
            {design.kind !== "grid" && (
              <>
                {" "}
                of{" "}
                <NumberField
                  label="How many points"
                  least={1}
                  className="picker w-20"
                  value={design.runs}
                  onChange={(runs) => setDesign({ ...design, runs })}
                />{" "}
                points
              </>
            )}
          </p>
          {isFewer && (
            <p className="text-note text-soft">{plain(control.plan.data!.total, 0)} of them are different.</p>
          )}
          <SplitEditor split={split} spans={control.plan.data} onChange={setSplit} />
        </>
      }
      meaning={
        <>
          {trial && (
            <div role="group" aria-label="View of the runs" className="mb-4 flex border border-line text-note">
              {offered.map((name) => (
                <button
                  key={name}
                  type="button"
                  aria-pressed={face === name}
                  className={`flex-1 cursor-pointer border-r border-line px-1 py-1 whitespace-nowrap last:border-r-0 ${face === name ? "bg-base-content text-base-100" : "text-soft hover:text-base-content"}`}
                  onClick={() => setView(name)}
                >
                  {name}
                </button>
              ))}
            </div>
          )}
          {trial && surface.data && (
            <>
              {chosen === null ? (
                <p className="mb-4 text-soft">Press a sounding to choose a run; double-press opens it.</p>
              ) : (
                <RunCard heading="Chosen" trial={trial} seen={seen} point={chosen} figures={figures} canLook>
                  <OpenButton onOpen={() => void open(chosen)} onReport={() => void open(chosen, onReport)} />
                </RunCard>
              )}
              {surface.data.plateau !== null && (
                <RunCard
                  heading="The plateau"
                  trial={trial}
                  seen={seen}
                  point={surface.data.plateau}
                  figures={figures}
                  canLook={chosen === null}
                >
                  <OpenButton
                    onOpen={() => void open(surface.data.plateau!)}
                    onReport={() => void open(surface.data.plateau!, onReport)}
                  />
                </RunCard>
              )}
              {surface.data.rocks.length > 0 && (
                <>
                  <RunCard
                    heading="✕ A rock"
                    trial={trial}
                    seen={seen}
                    point={surface.data.rocks[0]!}
                    figures={figures}
                  />
                  <p className="-mt-3 mb-4 text-soft">
                    Stands alone: a step to either side loses most of it. Likely luck.
                  </p>
                </>
              )}
              {trial.done > 0 && trial.state !== "running" && (
                <Tried seen={seen} isTogether={isTogether(trial.order.setup)} />
              )}
            </>
          )}
        </>
      }
    >
      <div className="flex min-w-0 flex-1 flex-col">
        {trial &&
          choice &&
          (face === "Surface" ? (
            <ViewBar trial={trial} view={choice} onView={(next) => setLooks({ trial: trial.id, choice: next })} />
          ) : null)}
        <div className="min-h-0 flex-1 p-3" aria-busy={surface.isPlaceholderData}>
          {!trial || !choice ? (
            <NothingYet>
              {state.trial !== undefined && !control.error ? (
                <Loading what="Reading the trial" />
              ) : (
                <p className="max-w-sm">
                  Nothing is sounded yet. Tick what varies at the left, then start: the surface of{" "}
                  <i>{info?.name.toLowerCase()}</i> appears as the runs come in.
                </p>
              )}
            </NothingYet>
          ) : face === "Table" ? (
            <RunTable
              trial={trial}
              seen={seen}
              figures={figures}
              chosen={chosen}
              onChoose={setChosen}
              onOpen={(point) => void open(point)}
            />
          ) : !surface.data || !grid ? (
            <Loading what="Reading the runs" />
          ) : face === "Curves" ? (
            (chosen ?? surface.data.plateau ?? surface.data.best) === null ? (
              <p className="text-soft">No run counts yet.</p>
            ) : (
              <Curves
                seen={seen}
                point={(chosen ?? surface.data.plateau ?? surface.data.best)!}
                info={info}
                onChoose={setChosen}
                onOpen={(point) => void open(point)}
              />
            )
          ) : face === "In / out" ? (
            <InOut seen={seen} info={info} surface={surface.data} chosen={chosen} onChoose={setChosen} />
          ) : face === "Front" ? (
            <FrontView seen={seen} figures={figures} chosen={chosen} onChoose={setChosen} />
          ) : choice.y === null ? (
            <SoundingLine {...shown} grid={grid} />
          ) : (
            <DepthChart {...shown} grid={grid} />
          )}
        </div>
      </div>
    </TrialFrame>
  );
}

function OpenButton({ onOpen, onReport }: { onOpen: () => void; onReport: () => void }) {
  return (
    <p className="mt-2 flex gap-2">
      <button type="button" className="main-button" onClick={onOpen}>
        Open as run
      </button>
      <button type="button" className="plain-button" onClick={onReport}>
        Report
      </button>
    </p>
  );
}
