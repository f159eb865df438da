import {
  createRootRoute,
  createRoute,
  createRouter,
  redirect,
  useNavigate,
  type ErrorComponentProps,
} from "@tanstack/react-router";
import type { BasketState, SetupState } from "@/api";
import type { LogbookState } from "@/logbook";
import type { PracticeState } from "@/practice";
import type { ReportState } from "@/report";
import type { TrialsState } from "@/trials";
import { FACES as TRIAL_FACES } from "@/trials/faces";
import { FACES, keepSight, Workbench, type WorkbenchState } from "@/workbench";
import { later, Trouble } from "@/ui";
import { Frame } from "./Frame";
import { placeAsLeft, rememberPlace, type Place } from "./places";

// The Workbench is what opens first.
const Trials = later(() => import("@/trials").then((place) => place.Trials));
const Logbook = later(() => import("@/logbook").then((place) => place.Logbook));
const ReportPlace = later(() => import("@/report").then((place) => place.ReportPlace));
const Markets = later(() => import("@/markets").then((place) => place.Markets));
const Shelf = later(() => import("@/shelf").then((place) => place.Shelf));
const Practice = later(() => import("@/practice").then((place) => place.Practice));
const Guide = later(() => import("@/guide").then((place) => place.Guide));

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
    inputs:
      inputs !== null && typeof inputs === "object" && !Array.isArray(inputs)
        ? (inputs as SetupState["inputs"])
        : undefined,
    terms:
      search.terms !== null && typeof search.terms === "object" && !Array.isArray(search.terms)
        ? (search.terms as SetupState["terms"])
        : undefined,
    costs: typeof search.costs === "number" && search.costs >= 0 ? search.costs : undefined,
    pinned: whole(search.pinned),
    origin: whole(search.origin),
  };
}

const workbenchState = (search: Record<string, unknown>): WorkbenchState => ({
  ...setupState(search),
  face: FACES.find((face) => face === search.face),
  chart: text(search.chart),
});
const basketState = (search: Record<string, unknown>): BasketState => ({
  markets: Array.isArray(search.markets)
    ? search.markets.filter((item): item is string => typeof item === "string")
    : undefined,
  dearest: typeof search.dearest === "number" && search.dearest >= 0 ? search.dearest : undefined,
  together: search.together === true || undefined,
});
const reportState = (search: Record<string, unknown>): ReportState => ({
  ...setupState(search),
  ...basketState(search),
  run: whole(search.run),
  trial: whole(search.trial),
  choose: search.choose === "neighbours" ? "neighbours" : undefined,
  objective: text(search.objective),
  against: text(search.against),
});
const logbookState = (search: Record<string, unknown>): LogbookState => ({
  title: text(search.title),
  place: text(search.place),
  words: text(search.words),
  starred: search.starred === true || undefined,
  looked: search.looked === true || undefined,
  compare: Array.isArray(search.compare)
    ? search.compare.filter((item): item is number => Number.isInteger(item)).slice(0, 4)
    : undefined,
  alike: search.alike === true || undefined,
});
const trialsState = (search: Record<string, unknown>): TrialsState => ({
  ...setupState(search),
  trial: whole(search.trial),
  face: TRIAL_FACES.find((item) => item.face === search.face)?.face,
  x: text(search.x),
  y: text(search.y),
  ...basketState(search),
});

const practiceState = (search: Record<string, unknown>): PracticeState => ({
  ...setupState(search),
  ...basketState(search),
  practice: whole(search.practice),
  begin: search.begin === true || undefined,
  all: search.all === true || undefined,
});

/** What of a state is a step that Back and Forward go through. */
const STEPS = [
  "script",
  "version",
  "market",
  "timeframe",
  "from",
  "to",
  "account",
  "sides",
  "inverted",
  "chart",
  "trial",
  "run",
  "compare",
  "practice",
  "begin",
  "all",
] as const;

function isStep(before: object, after: object): boolean {
  const [a, b] = [before as Record<string, unknown>, after as Record<string, unknown>];
  return STEPS.some((name) => a[name] !== b[name]);
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

/** An address that says nothing of a place means what was there last. */
function asLeft(place: Place) {
  return ({ search }: { search: object }) => {
    const isBare = Object.values(search).every((value) => value === undefined);
    const left = placeAsLeft(place);
    if (isBare && Object.keys(left).length > 0) redirect({ to: place, search: left, replace: true, throw: true });
  };
}

const workbench = createRoute({
  getParentRoute: () => root,
  path: "/",
  validateSearch: workbenchState,
  beforeLoad: asLeft("/"),
  component: function WorkbenchPlace() {
    const state = workbench.useSearch();
    const navigate = useNavigate();
    return (
      <Workbench
        state={state}
        onState={(next, isSame = false) =>
          void navigate({ to: "/", search: next, replace: isSame || !isStep(state, next) })
        }
        onReport={(next) => void navigate({ to: "/report", search: reportState({ ...next }) })}
        onDoubt={(next) => void navigate({ to: "/trials", search: { ...trialsState({ ...next }), face: "doubt" } })}
        onPractise={(next) =>
          void navigate({ to: "/practice", search: { ...practiceState({ ...next }), begin: true } })
        }
        onMarkets={() => void navigate({ to: "/markets", search: { symbol: undefined } })}
        onSweep={(next, x) =>
          void navigate({ to: "/trials", search: { ...trialsState({ ...next }), face: undefined, x } })
        }
      />
    );
  },
});

const trials = createRoute({
  getParentRoute: () => root,
  path: "/trials",
  validateSearch: trialsState,
  beforeLoad: asLeft("/trials"),
  component: function TrialsPlace() {
    const state = trials.useSearch();
    const navigate = useNavigate();
    return (
      <Trials
        state={state}
        onState={(next, isSame = false) =>
          void navigate({ to: "/trials", search: next, replace: isSame || !isStep(state, next) })
        }
        onReport={(next) => void navigate({ to: "/report", search: reportState({ ...next }) })}
        onPractise={(next) =>
          void navigate({ to: "/practice", search: { ...practiceState({ ...next }), begin: true } })
        }
        onOpen={(next) =>
          void navigate({
            to: "/",
            search: { ...next, pinned: next.pinned ?? workbenchState(placeAsLeft("/")).pinned },
          })
        }
      />
    );
  },
});

const SHOWN_AROUND = 60; // bars on either side of what is shown

/** The Workbench as it was left, with something changed. */
function benchWith(change: WorkbenchState): WorkbenchState {
  return { ...workbenchState(placeAsLeft("/")), ...change };
}

const report = createRoute({
  getParentRoute: () => root,
  path: "/report",
  validateSearch: reportState,
  beforeLoad: asLeft("/report"),
  component: function ReportOpened() {
    const state = report.useSearch();
    const navigate = useNavigate();
    return (
      <ReportPlace
        state={state}
        onState={(next, isSame = false) =>
          void navigate({ to: "/report", search: next, replace: isSame || !isStep(state, next) })
        }
        onOpen={(setup, next, stretch) => {
          if (next.trial !== undefined)
            return void navigate({ to: "/trials", search: { ...trialsState({ ...next }), face: "walk" } });
          if (next.markets)
            return void navigate({ to: "/trials", search: { ...trialsState({ ...next }), face: "basket" } });
          if (stretch && setup) keepSight(setup.market, { ...stretch, held: stretch.from });
          void navigate({ to: "/", search: workbenchState({ ...next }) });
        }}
      />
    );
  },
});

const logbook = createRoute({
  getParentRoute: () => root,
  path: "/logbook",
  validateSearch: logbookState,
  component: function LogbookPlace() {
    const state = logbook.useSearch();
    const navigate = useNavigate();
    return (
      <Logbook
        state={state}
        onState={(next) => void navigate({ to: "/logbook", search: next, replace: !isStep(state, next) })}
        onReport={(run) => void navigate({ to: "/report", search: { run } })}
        onWork={(next) =>
          void navigate({ to: "/", search: { ...next, pinned: workbenchState(placeAsLeft("/")).pinned } })
        }
        onAgainst={(pinned) => void navigate({ to: "/", search: benchWith({ pinned }) })}
      />
    );
  },
});

const markets = createRoute({
  getParentRoute: () => root,
  path: "/markets",
  validateSearch: (search: Record<string, unknown>) => ({ symbol: text(search.symbol) }),
  component: function MarketsPlace() {
    const navigate = useNavigate();
    const { symbol } = markets.useSearch();
    return (
      <Markets
        symbol={symbol}
        onSymbol={(next) => void navigate({ to: "/markets", search: { symbol: next } })}
        onOpen={(market) => void navigate({ to: "/", search: benchWith({ market, from: undefined, to: undefined }) })}
        onShow={(market, timeframe, { begins, ends }) => {
          keepSight(market, { from: begins, to: ends, held: begins, around: SHOWN_AROUND });
          void navigate({ to: "/", search: benchWith({ market, timeframe, from: undefined, to: undefined }) });
        }}
      />
    );
  },
});

const shelf = createRoute({
  getParentRoute: () => root,
  path: "/shelf",
  component: function ShelfPlace() {
    const navigate = useNavigate();
    return (
      <Shelf
        onOpen={(script, version) =>
          void navigate({ to: "/", search: benchWith({ script, version, inputs: undefined }) })
        }
      />
    );
  },
});

const guide = createRoute({
  getParentRoute: () => root,
  path: "/guide",
  validateSearch: (search: Record<string, unknown>): { page?: string } => ({ page: text(search.page) }),
  beforeLoad: asLeft("/guide"),
  component: function GuidePlace() {
    const { page } = guide.useSearch();
    const navigate = useNavigate();
    return (
      <Guide
        page={page}
        onPage={(next) => void navigate({ to: "/guide", search: { page: next } })}
        onVoyage={() => void navigate({ to: "/", search: benchWith({}) })}
        onOpen={(script) => void navigate({ to: "/", search: benchWith({ script, version: 0, inputs: undefined }) })}
      />
    );
  },
});

const practice = createRoute({
  getParentRoute: () => root,
  path: "/practice",
  validateSearch: practiceState,
  beforeLoad: asLeft("/practice"),
  component: function PracticePlace() {
    const state = practice.useSearch();
    const navigate = useNavigate();
    return (
      <Practice
        state={state}
        work={setupState(placeAsLeft("/"))}
        onState={(next) => void navigate({ to: "/practice", search: next, replace: !isStep(state, next) })}
        onReport={(run) => void navigate({ to: "/report", search: { run } })}
      />
    );
  },
});

export const router = createRouter({
  routeTree: root.addChildren([workbench, report, trials, logbook, markets, shelf, practice, guide]),
  defaultPreload: false,
  defaultErrorComponent: Broken,
  defaultNotFoundComponent: () => <Trouble error="There is no such place here." />,
});

router.subscribe("onResolved", ({ toLocation }) => {
  if (["/", "/report", "/trials", "/logbook", "/practice", "/guide"].includes(toLocation.pathname))
    rememberPlace(toLocation.pathname as Place, toLocation.search);
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
