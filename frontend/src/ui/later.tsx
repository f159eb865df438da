import { lazy, Suspense, type ComponentType } from "react";

const waiting: (() => Promise<unknown>)[] = [];

/** A part of the page that is fetched apart from it: when it is first shown, or once the page stands. */
export function later<Props extends object>(fetch: () => Promise<ComponentType<Props>>): ComponentType<Props> {
  waiting.push(fetch);
  const Part = lazy(() => fetch().then((found) => ({ default: found })));
  return function Later(props: Props) {
    return (
      <Suspense fallback={null}>
        <Part {...props} />
      </Suspense>
    );
  };
}

/** Fetch all parts that wait, when the browser has nothing else to do. */
export function fetchParts(): void {
  const whenIdle = window.requestIdleCallback ?? ((act: () => void) => window.setTimeout(act, 2_000));
  whenIdle(() => waiting.forEach((fetch) => void fetch().catch(() => undefined))); // asked for again when it is shown
}
