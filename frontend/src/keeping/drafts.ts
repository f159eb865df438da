/**
 * Texts that were typed and not saved. Each tab keeps its own, in this browser, so that two tabs on one script do not
 * overwrite each other; a draft of a tab that is gone can be looked at from any other.
 */
export interface Draft {
  title: string;
  /** The version that was being changed; 0 for a script that was never saved. */
  version: number;
  text: string;
  at: number;
  tab: string;
}

const PREFIX = "skelb-draft ";
const KEEP_MS = 60 * 86_400_000;
const channel = new BroadcastChannel("skelb-tabs");

const fresh = () => crypto.getRandomValues(new Uint32Array(2)).join("-");
let tab = sessionStorage.getItem("skelb-tab") ?? fresh();
sessionStorage.setItem("skelb-tab", tab);

// A tab that was duplicated has the other's name: who is asked for its own name second takes a new one.
channel.onmessage = (event: MessageEvent<{ ask?: string; taken?: string }>) => {
  if (event.data.ask === tab) channel.postMessage({ taken: tab });
  else if (event.data.taken === tab && !isSettled) {
    for (const draft of allDrafts().filter((item) => item.tab === tab)) write({ ...draft, tab: "" });
    tab = fresh();
    sessionStorage.setItem("skelb-tab", tab);
    for (const draft of allDrafts().filter((item) => item.tab === "")) write({ ...draft, tab });
  }
};
let isSettled = false;
channel.postMessage({ ask: tab });
window.setTimeout(() => (isSettled = true), 400);

const keyOf = (draft: { tab: string; title: string; version: number }) =>
  `${PREFIX}${JSON.stringify([draft.tab, draft.title, draft.version])}`;
const write = (draft: Draft) => localStorage.setItem(keyOf(draft), JSON.stringify(draft));

/** Every draft there is, newest first; those of long ago are forgotten. */
export function allDrafts(): Draft[] {
  const found: Draft[] = [];
  for (const key of Object.keys(localStorage).filter((name) => name.startsWith(PREFIX))) {
    try {
      const draft = JSON.parse(localStorage.getItem(key) ?? "") as Draft;
      if (typeof draft.text !== "string" || Date.now() - draft.at > KEEP_MS) localStorage.removeItem(key);
      else found.push(draft);
    } catch {
      localStorage.removeItem(key);
    }
  }
  return found.sort((a, b) => b.at - a.at);
}

/** This tab's draft of a version. */
export function readDraft(title: string, version: number): string | null {
  try {
    return (JSON.parse(localStorage.getItem(keyOf({ tab, title, version })) ?? "null") as Draft | null)?.text ?? null;
  } catch {
    return null;
  }
}

/** Keep a text that was typed; one that is what was saved is no draft. */
export function keepDraft(title: string, version: number, text: string, saved: string): void {
  if (text === saved) dropDraft({ tab, title, version });
  else write({ tab, title, version, text, at: Date.now() });
}

export function dropDraft(draft: { tab?: string; title: string; version: number }): void {
  localStorage.removeItem(keyOf({ tab, ...draft }));
}

/** Drafts of a script that other tabs left. */
export function draftsElsewhere(title: string): Draft[] {
  return allDrafts().filter((draft) => draft.title === title && draft.tab !== tab);
}
