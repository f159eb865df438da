import { useEffect, useRef, type KeyboardEvent, type ReactNode } from "react";

const STOPS = "button, input, select, a[href], [data-stop]";

/**
 * A table that is one stop of the Tab key: inside, the arrows move along its controls, up and down to the same place of
 * the next row, left and right within the row.
 */
export function OneStop({ className, children }: { className?: string; children: ReactNode }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const settle = () => {
      const all = stopsOf(host.current);
      const now = all.find((item) => item.tabIndex === 0 && item.dataset.here) ?? all[0];
      for (const item of all) item.tabIndex = item === now ? 0 : -1;
    };
    settle();
    const watch = new MutationObserver(settle);
    watch.observe(host.current!, { childList: true, subtree: true });
    return () => watch.disconnect();
  }, []);
  const go = (to: HTMLElement | undefined) => {
    if (!to) return;
    for (const item of stopsOf(host.current)) {
      item.tabIndex = item === to ? 0 : -1;
      delete item.dataset.here;
    }
    to.dataset.here = "yes";
    to.focus();
  };
  const press = (event: KeyboardEvent<HTMLDivElement>) => {
    const here = (event.target as HTMLElement).closest<HTMLElement>(STOPS);
    const row = here?.closest("tr");
    if (!here || !row || event.altKey || event.ctrlKey || event.metaKey) return;
    const isText = here instanceof HTMLSelectElement || (here instanceof HTMLInputElement && here.type !== "checkbox");
    if (isText) return; // arrows are its own
    const own = stopsOf(row);
    const place = own.indexOf(here);
    const rows = [...(host.current?.querySelectorAll("tr") ?? [])].filter((item) => stopsOf(item).length > 0);
    const beside = (by: 1 | -1) => {
      const next = rows[rows.indexOf(row) + by];
      return next && (stopsOf(next)[place] ?? stopsOf(next).at(-1));
    };
    const to = {
      ArrowDown: () => beside(1),
      ArrowUp: () => beside(-1),
      ArrowRight: () => own[place + 1],
      ArrowLeft: () => own[place - 1],
      Home: () => stopsOf(rows[0])[place],
      End: () => stopsOf(rows.at(-1))[place],
    }[event.key];
    if (!to) return;
    event.preventDefault();
    go(to());
  };
  const arrived = (target: EventTarget) => {
    const here = (target as HTMLElement).closest<HTMLElement>(STOPS);
    if (here && here.tabIndex !== 0) go(here);
  };
  return (
    <div ref={host} className={className} onKeyDown={press} onFocus={(event) => arrived(event.target)}>
      {children}
    </div>
  );
}

function stopsOf(host: Element | null | undefined): HTMLElement[] {
  return host ? [...host.querySelectorAll<HTMLElement>(STOPS)] : [];
}
