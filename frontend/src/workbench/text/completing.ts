import {
  acceptCompletion,
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  closeCompletion,
  completionStatus,
  moveCompletionSelection,
  nextSnippetField,
  startCompletion,
  type CompletionContext,
  type CompletionResult,
  type CompletionSource,
} from "@codemirror/autocomplete";
import { insertNewline } from "@codemirror/commands";
import { serverCompletionSource } from "@codemirror/lsp-client";
import { EditorState, Prec, type Extension } from "@codemirror/state";
import { EditorView, ViewPlugin, keymap, type ViewUpdate } from "@codemirror/view";

type Place = "text" | "comment" | "code";

/** What an offset of the text stands in; a quote ends with its line. */
export function placeAt(state: EditorState, offset: number): Place {
  const line = state.doc.lineAt(offset);
  const before = line.text.slice(0, offset - line.from);
  let isQuoted = false;
  for (let at = 0; at < before.length; at++) {
    if (before[at] === '"' && before[at - 1] !== "\\") isQuoted = !isQuoted;
    else if (before[at] === "#" && !isQuoted) return "comment";
  }
  return isQuoted ? "text" : "code";
}

/** Proposals for a word being typed, from its first letter on, until it is one that is proposed; anything where they are asked for. */
function proposing(source: CompletionSource): CompletionSource {
  return async (context: CompletionContext): Promise<CompletionResult | null> => {
    const place = placeAt(context.state, context.pos);
    if (place === "comment" || (place === "text" && !context.explicit)) return null;
    const word = context.matchBefore(/\w*/);
    const typed = word?.text ?? "";
    if (!context.explicit && !/^[A-Za-z_]/.test(typed)) return null;
    const found = await source(context);
    if (!found) return null;
    const labels = new Set(found.options.map((option) => option.label));
    if (!context.explicit && labels.has(typed)) return null;
    return { ...found, validFor: (text: string) => /^\w*$/.test(text) && !labels.has(text) };
  };
}

/** Tab takes the first proposal, or the one that was moved to; pressed before the list is there, it takes it as soon as it is, and goes on to the next field where there is none. */
const taking = ViewPlugin.fromClass(
  class {
    isWanted = false;

    update(update: ViewUpdate): void {
      if (!this.isWanted) return;
      const status = completionStatus(update.state);
      if (status === "pending" && !update.docChanged) return;
      this.isWanted = false;
      if (update.docChanged) return;
      queueMicrotask(() => (status === "active" ? takeFirst(update.view) : nextSnippetField(update.view)));
    }
  },
);

function takeFirst(view: EditorView): boolean {
  return acceptCompletion(view) || (moveCompletionSelection(true)(view) && acceptCompletion(view));
}

function tab(view: EditorView): boolean {
  const status = completionStatus(view.state);
  if (status === null) return false;
  if (status === "active" && takeFirst(view)) return true;
  const plugin = view.plugin(taking);
  if (plugin) plugin.isWanted = true;
  return true;
}

/** What is typed after a Tab that still waits for the list goes where the Tab leads: to the next field, where there is one. */
const afterTab = EditorView.inputHandler.of((view, _from, _to, text) => {
  const plugin = view.plugin(taking);
  if (!plugin?.isWanted) return false;
  plugin.isWanted = false;
  if (!nextSnippetField(view)) return false;
  view.dispatch(view.state.replaceSelection(text), { userEvent: "input.type", scrollIntoView: true });
  return true;
});

// Enter takes a proposal only where the hand has moved in the list: until then none is selected, and the line ends.
const keys = Prec.highest(
  keymap.of([
    { key: "Tab", run: tab },
    { key: "Ctrl-Space", run: startCompletion },
    { key: "Escape", run: closeCompletion },
    { key: "ArrowDown", run: moveCompletionSelection(true) },
    { key: "ArrowUp", run: moveCompletionSelection(false) },
    { key: "PageDown", run: moveCompletionSelection(true, "page") },
    { key: "PageUp", run: moveCompletionSelection(false, "page") },
    { key: "Enter", run: acceptCompletion },
  ]),
);

/** A bracket or quote gets its other half while code is written; in a text only the quote that ends it is typed over. */
const pairs = EditorState.languageData.of((state, offset) => {
  const place = placeAt(state, offset);
  return [{ closeBrackets: { brackets: place === "code" ? ["(", '"'] : place === "text" ? ['"'] : [] } }];
});

/** What is offered while one types, and how it is taken: the text comes out as it was typed unless it is asked otherwise. */
export const completing: Extension = [
  autocompletion({
    icons: false,
    selectOnOpen: false,
    interactionDelay: 0,
    defaultKeymap: false,
    override: [proposing(serverCompletionSource)],
  }),
  taking,
  afterTab,
  keys,
  closeBrackets(),
  pairs,
  // Statements are not indented: a new line begins at its margin, and what is typed there stands as it was typed.
  keymap.of([{ key: "Enter", run: insertNewline }, ...closeBracketsKeymap]),
];
