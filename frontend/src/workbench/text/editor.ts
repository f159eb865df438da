import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { bracketMatching } from "@codemirror/language";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { EditorState } from "@codemirror/state";
import {
  EditorView,
  drawSelection,
  highlightActiveLine,
  highlightActiveLineGutter,
  keymap,
  lineNumbers,
} from "@codemirror/view";
import { findReferences, formatDocument, renameSymbol } from "@codemirror/lsp-client";
import { completing } from "./completing";
import { scriptLook } from "./highlight";
import type { BarExplained } from "@/api";
import { readings, showReadings } from "./readings";
import { LanguageLink, applyMend, type Action, type Explained, type Finding } from "./language";

interface Handlers {
  onText: (text: string) => void;
  onSave: () => void;
  onFindings: (found: Finding[]) => void;
  onHelp: (found: Explained | null) => void;
  onTools: () => void;
  onOpenScript: (title: string) => void;
}

/** The code editor: reports texts, and speaks with the language server about them. */
export class ScriptEditor {
  readonly link: LanguageLink;
  private readonly view: EditorView;
  private readonly room: ResizeObserver;

  constructor(parent: HTMLElement, title: string, text: string, handlers: Handlers) {
    this.link = new LanguageLink(title, handlers.onFindings);
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
          completing,
          highlightSelectionMatches(),
          scriptLook,
          EditorView.lineWrapping,
          readings,
          EditorView.contentAttributes.of({ "aria-label": "Script text", tabindex: "0" }),
          keymap.of([
            { key: "Mod-s", preventDefault: true, run: () => (handlers.onSave(), true) },
            {
              key: "F1",
              preventDefault: true,
              run: (view) => (void this.link.explain(view, view.state.selection.main.head).then(handlers.onHelp), true),
            },
            { key: "Mod-.", preventDefault: true, run: () => (handlers.onTools(), true) },
          ]),
          this.link.extensions(handlers.onOpenScript),
          keymap.of([...historyKeymap, ...searchKeymap, ...defaultKeymap]),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) handlers.onText(update.state.doc.toString());
          }),
        ],
      }),
    });
    this.room = new ResizeObserver(() => this.keepCursorInSight());
    this.room.observe(parent);
  }

  /** Keep the cursor in sight when what stands below the text takes more room. */
  private keepCursorInSight(): void {
    if (this.view.hasFocus)
      this.view.dispatch({ effects: EditorView.scrollIntoView(this.view.state.selection.main.head) });
  }

  /** Another text takes the place of this one, as one step that can be undone. */
  replace(text: string): void {
    const { doc } = this.view.state;
    if (doc.toString() !== text) this.view.dispatch({ changes: { from: 0, to: doc.length, insert: text } });
  }

  /** The script as it reads on a bar; nothing when there is none, or it is not the text that was run. */
  read(found: BarExplained | null): void {
    showReadings(this.view, found);
  }

  mend(item: Finding): void {
    if (item.mend) applyMend(this.view, item.mend);
  }

  /** Make every mend that is sure, as one step. */
  mendAll(items: Finding[]): void {
    const changes = items.flatMap((item) =>
      item.mend ? [{ from: item.mend.from, to: item.mend.to, insert: item.mend.text }] : [],
    );
    this.view.dispatch({ changes, userEvent: "input.mend" });
    this.view.focus();
  }

  goTo(item: Finding): void {
    this.view.dispatch({
      selection: { anchor: item.from },
      effects: EditorView.scrollIntoView(item.from, { y: "center" }),
    });
    this.view.focus();
  }

  /** What can be changed where the cursor is. */
  actions(): Promise<Action[]> {
    return this.link.actions(this.view, this.view.state.selection.main.head);
  }

  apply(action: Action): void {
    this.link.apply(this.view, action);
  }

  format(): void {
    formatDocument(this.view);
  }

  rename(): void {
    this.view.focus();
    renameSymbol(this.view);
  }

  findUses(): void {
    this.view.focus();
    findReferences(this.view);
  }

  destroy(): void {
    this.room.disconnect();
    this.link.close();
    this.view.destroy();
  }
}
