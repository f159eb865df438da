import { autocompletion, closeBrackets, completionKeymap, type Completion, type CompletionContext } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { HighlightStyle, StreamLanguage, bracketMatching, syntaxHighlighting } from "@codemirror/language";
import { setDiagnostics, type Diagnostic as Underline } from "@codemirror/lint";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { EditorState } from "@codemirror/state";
import { EditorView, drawSelection, highlightActiveLine, highlightActiveLineGutter, hoverTooltip, keymap, lineNumbers, type Tooltip } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import type { Catalogue, Diagnostic } from "@/api";

const STATEMENTS = "title note input define carry draw level shade mark enter exit stop target window months flat opposite size".split(" ");
const WORDS = new Set(
  "where starting and or not then unless later than all total yes no unknown in is if else on off from to step one of crosses meets above below when only color named as long short at after bars risk equity units cash max pips ticks points R session week end reverse ignore market".split(" "),
);

const language = StreamLanguage.define<{ lineStart: boolean }>({
  startState: () => ({ lineStart: true }),
  token(stream, state) {
    if (stream.sol()) state.lineStart = true;
    if (stream.eatSpace()) return null;
    const atStart = state.lineStart;
    state.lineStart = false;
    if (stream.match(/^#.*/)) return "comment";
    if (stream.match(/^"(?:\\"|[^"])*"?/)) return "string";
    if (stream.match(/^\d{1,2}:\d{2}/) || stream.match(/^\d+(\.\d+)?%?/)) return "number";
    const word = stream.match(/^[A-Za-z_][A-Za-z0-9_]*/);
    if (word && word !== true) {
      const name = word[0];
      if (atStart && STATEMENTS.includes(name)) return "keyword";
      if (WORDS.has(name)) return "keyword";
      return stream.match(/^\s*\(/, false) ? "function" : "variableName";
    }
    stream.next();
    return null;
  },
  tokenTable: { function: tags.function(tags.variableName) },
  languageData: { commentTokens: { line: "#" } },
});

const colors = HighlightStyle.define([
  { tag: tags.keyword, color: "var(--long)" },
  { tag: tags.string, color: "var(--brass)" },
  { tag: tags.number, color: "var(--loss)" },
  { tag: tags.comment, color: "var(--soft)", fontStyle: "italic" },
  { tag: tags.function(tags.variableName), fontWeight: "600" },
]);

interface Handlers {
  onText: (text: string) => void;
  onSave: () => void;
}

/** The code editor: reports texts, shows diagnostics, completes names. */
export class ScriptEditor {
  private readonly view: EditorView;
  private names: string[] = [];

  constructor(parent: HTMLElement, text: string, catalogue: Catalogue, handlers: Handlers) {
    const builtIn = catalogue.entries.map(completionOf);
    const words = STATEMENTS.map((label): Completion => ({ label, type: "keyword" }));
    const complete = (context: CompletionContext) => {
      const field = context.matchBefore(/[A-Za-z_]\w*(\([^()]*\))?\.\w*/);
      if (field) return this.fields(field, catalogue);
      const word = context.matchBefore(/[A-Za-z_]\w*/);
      if (!word || (word.from === word.to && !context.explicit)) return null;
      const own = this.names.map((label): Completion => ({ label, type: "variable", boost: 2 }));
      const isFirst = /^\s*$/.test(context.state.doc.lineAt(word.from).text.slice(0, word.from - context.state.doc.lineAt(word.from).from));
      return { from: word.from, options: [...own, ...builtIn, ...(isFirst ? words : [])], validFor: /^\w*$/ };
    };
    this.view = new EditorView({
      parent,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          highlightActiveLine(),
          highlightActiveLineGutter(),
          history(),
          drawSelection(),
          bracketMatching(),
          closeBrackets(),
          highlightSelectionMatches(),
          autocompletion({ override: [complete], icons: false }),
          language,
          syntaxHighlighting(colors),
          hoverTooltip((view, at) => this.documentation(view, at, catalogue)),
          EditorView.contentAttributes.of({ "aria-label": "Script text" }),
          keymap.of([{ key: "Mod-s", preventDefault: true, run: () => (handlers.onSave(), true) }, ...completionKeymap, ...historyKeymap, ...searchKeymap, ...defaultKeymap]),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) handlers.onText(update.state.doc.toString());
          }),
        ],
      }),
    });
  }

  /** Underline what was found; names the script defines become completions. */
  show(found: Diagnostic[], names: string[]): void {
    this.names = names;
    const underlines = found.map((item): Underline => {
      const from = this.offset(item.line, item.column);
      const to = Math.max(from, this.offset(item.end_line, item.end_column));
      const line = this.view.state.doc.lineAt(from);
      const mend = item.mend;
      return {
        from: from === to && from === line.to ? Math.max(line.from, from - 1) : from,
        to: from === to ? Math.min(line.to, to + 1) : to,
        severity: item.severity === "note" ? "info" : item.severity,
        message: `${item.message}. ${item.why}`,
        actions: mend ? [{ name: mend.text ? `write ${mend.text}` : "leave it out", apply: () => this.mend(item) }] : [],
      };
    });
    this.view.dispatch(setDiagnostics(this.view.state, underlines));
  }

  /** Another version's text takes the place of this one, as one step that can be undone. */
  replace(text: string): void {
    const { doc } = this.view.state;
    if (doc.toString() !== text) this.view.dispatch({ changes: { from: 0, to: doc.length, insert: text } });
  }

  mend(item: Diagnostic): void {
    if (!item.mend) return;
    const from = this.offset(item.mend.line, item.mend.column);
    const to = this.offset(item.mend.end_line, item.mend.end_column);
    this.view.dispatch({ changes: { from, to, insert: item.mend.text }, selection: { anchor: from + item.mend.text.length }, userEvent: "input.mend" });
    this.view.focus();
  }

  goTo(item: Diagnostic): void {
    const at = this.offset(item.line, item.column);
    this.view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
    this.view.focus();
  }

  destroy(): void {
    this.view.destroy();
  }

  /** A place of the server, which counts code points, as an offset of the editor, which counts UTF-16 units. */
  private offset(line: number, column: number): number {
    const doc = this.view.state.doc;
    if (line > doc.lines) return doc.length;
    const found = doc.line(Math.max(1, line));
    return found.from + [...found.text].slice(0, column - 1).join("").length;
  }

  /** What a built-in name or function under the pointer means. */
  private documentation(view: EditorView, at: number, catalogue: Catalogue): Tooltip | null {
    const word = view.state.wordAt(at);
    const entry = word && catalogue.entries.find((item) => item.name === view.state.sliceDoc(word.from, word.to));
    if (!word || !entry || this.names.includes(entry.name)) return null;
    return {
      pos: word.from,
      end: word.to,
      create: () => {
        const dom = document.createElement("div");
        dom.className = "max-w-md px-3 py-2";
        const lines: [string, string][] = [
          [entry.form, "num font-semibold"],
          [entry.summary, ""],
          [entry.formula, "num text-[12px] text-soft"],
          [entry.first_known && `First known bar: ${entry.first_known}`, "text-[12px] text-soft"],
          [entry.fields.length > 0 ? `Fields: ${entry.fields.map((field) => `.${field}`).join(" ")}` : "", "num text-[12px] text-soft"],
          [entry.source && `Source: ${entry.source}`, "text-[12px] text-soft"],
        ];
        for (const [text, style] of lines) {
          if (!text) continue;
          const line = document.createElement("div");
          line.textContent = text;
          line.className = style;
          dom.append(line);
        }
        return { dom };
      },
    };
  }

  private fields(match: { from: number; to: number; text: string }, catalogue: Catalogue) {
    const stem = match.text.slice(0, match.text.lastIndexOf("."));
    const name = stem.replace(/\(.*$/, "");
    const defined = new RegExp(`^\\s*${name}\\s*=\\s*([a-z_]+)`, "m").exec(this.view.state.doc.toString())?.[1];
    const entry = catalogue.entries.find((item) => item.name === name) ?? catalogue.entries.find((item) => item.name === defined);
    if (!entry || entry.fields.length === 0) return null;
    return { from: match.from + stem.length + 1, options: entry.fields.map((label): Completion => ({ label, type: "property" })), validFor: /^\w*$/ };
  }
}

function completionOf(entry: Catalogue["entries"][number]): Completion {
  const known = entry.first_known ? ` First known bar: ${entry.first_known}.` : "";
  return {
    label: entry.name,
    type: entry.kind === "function" ? "function" : "constant",
    detail: entry.form === entry.name ? "" : entry.form.slice(entry.name.length),
    info: `${entry.summary}${entry.formula ? ` ${entry.formula}.` : ""}${known}`,
  };
}
