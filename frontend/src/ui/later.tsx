import { lazy, Suspense, useState, type ComponentType, type ReactNode } from "react";

const waiting: (() => Promise<unknown>)[] = [];

/** A part of the page that is fetched apart from it: once the page stands, or when it is shown before that, with something in its place meanwhile. */
export function later<Props extends object>(
  fetch: () => Promise<ComponentType<Props>>,
  meanwhile: ReactNode = null,
): ComponentType<Props> {
  let here: ComponentType<Props> | null = null;
  const fetched = () => fetch().then((found) => (here = found));
  waiting.push(fetched);
  const Part = lazy(() => fetched().then((found) => ({ default: found })));
  return function Later(props: Props) {
    const [Ready] = useState(() => here); // what is here already shows at once, and stays what it is as long as it shows
    if (Ready) return <Ready {...props} />;
    return (
      <Suspense fallback={meanwhile}>
        <Part {...props} />
      </Suspense>
    );
  };
}

/** Fetch all parts that wait, when the browser has nothing else to do, and within a second. */
export function fetchParts(): void {
  const fetchAll = () => waiting.forEach((fetch) => void fetch().catch(() => undefined)); // asked for again when shown
  if ("requestIdleCallback" in window) window.requestIdleCallback(fetchAll, { timeout: 1_000 });
  else setTimeout(fetchAll, 1_000);
}
