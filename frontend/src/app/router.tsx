import { createRootRoute, createRoute, createRouter, useNavigate, type ErrorComponentProps } from "@tanstack/react-router";
import type { SetupState } from "@/api";
import { Guide } from "@/guide";
import { Markets } from "@/markets";
import { Shelf } from "@/shelf";
import { FACES, Trials, type TrialsState } from "@/trials";
import { Workbench } from "@/workbench";
import { Trouble } from "@/ui";
import { Frame } from "./Frame";

const text = (value: unknown): string | undefined => (typeof value === "string" && value ? value : undefined);
const whole = (value: unknown): number | undefined => (Number.isInteger(value) ? (value as number) : undefined);

function setupState(search: Record<string, unknown>): SetupState {
  const sides = text(search.sides);
  const inputs = search.inputs;
  return {
    script: text(search.script),
    version: whole(search.version),
    market: text(search.market),
    timeframe: text(search.timeframe),
    from: text(search.from),
    to: text(search.to),
    account: text(search.account),
    sides: sides === "long" || sides === "short" ? sides : undefined,
    inverted: search.inverted === true ? true : undefined,
    inputs: inputs !== null && typeof inputs === "object" && !Array.isArray(inputs) ? (inputs as SetupState["inputs"]) : undefined,
    pinned: whole(search.pinned),
  };
}

/** A mistake of ours on the page: what was typed is kept in the browser, so opening the place again loses nothing. */
function Broken({ error }: ErrorComponentProps) {
  const said = error instanceof Error ? error.message : String(error);
  return (
    <Trouble error={`This should not have happened: ${said} What you typed is kept.`}>
      <button type="button" className="plain-button my-2" onClick={() => location.reload()}>
        Open this place again
      </button>
    </Trouble>
  );
}

const root = createRootRoute({ component: Frame });

const workbench = createRoute({
  getParentRoute: () => root,
  path: "/",
  validateSearch: setupState,
  component: function WorkbenchPlace() {
    const state = workbench.useSearch();
    const navigate = useNavigate();
    return (
      <Workbench
        state={state}
        onState={(next) => void navigate({ to: "/", search: next, replace: true })}
        onDoubt={(next) => void navigate({ to: "/trials", search: { ...next, face: "doubt" } })}
        onSweep={(next, x) => void navigate({ to: "/trials", search: { ...next, x } })}
      />
    );
  },
});

const trials = createRoute({
  getParentRoute: () => root,
  path: "/trials",
  validateSearch: (search: Record<string, unknown>): TrialsState => ({ ...setupState(search), trial: whole(search.trial), face: FACES.find((item) => item.face === search.face)?.face, x: text(search.x), y: text(search.y), markets: Array.isArray(search.markets) ? search.markets.filter((item): item is string => typeof item === "string") : undefined }),
  component: function TrialsPlace() {
    const state = trials.useSearch();
    const navigate = useNavigate();
    return (
      <Trials
        state={state}
        onState={(next) => void navigate({ to: "/trials", search: next, replace: true })}
        onOpen={(next) => void navigate({ to: "/", search: next })}
      />
    );
  },
});

const markets = createRoute({
  getParentRoute: () => root,
  path: "/markets",
  component: function MarketsPlace() {
    const navigate = useNavigate();
    return <Markets onOpen={(market, timeframe) => void navigate({ to: "/", search: { market, timeframe } })} />;
  },
});

const shelf = createRoute({
  getParentRoute: () => root,
  path: "/shelf",
  component: function ShelfPlace() {
    const navigate = useNavigate();
    return <Shelf onOpen={(next) => void navigate({ to: "/", search: next })} />;
  },
});

const guide = createRoute({
  getParentRoute: () => root,
  path: "/guide",
  validateSearch: (search: Record<string, unknown>): { page?: string } => ({ page: text(search.page) }),
  component: function GuidePlace() {
    const { page } = guide.useSearch();
    const navigate = useNavigate();
    return <Guide page={page} onPage={(next) => void navigate({ to: "/guide", search: { page: next } })} onOpen={(script) => void navigate({ to: "/", search: { script, market: "KELP", timeframe: "1h" } })} />;
  },
});

export const router = createRouter({
  routeTree: root.addChildren([workbench, trials, markets, shelf, guide]),
  defaultPreload: false,
  defaultErrorComponent: Broken,
  defaultNotFoundComponent: () => <Trouble error="There is no such place here." />,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
