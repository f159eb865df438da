import {
  LSPClient,
  LSPPlugin,
  findReferences,
  formatDocument,
  renameSymbol,
  signatureHelp,
  type Transport,
} from "@codemirror/lsp-client";
import { setDiagnostics, type Diagnostic as Underline } from "@codemirror/lint";
import type { Extension } from "@codemirror/state";
import { EditorView, hoverTooltip, keymap, type Tooltip } from "@codemirror/view";
import { api, LastingSocket, unwrap, type Preview } from "@/api";
import { previewSvg } from "@/ui";

interface Position {
  line: number;
  character: number;
}
interface Range {
  start: Position;
  end: Position;
}
interface TextEdit {
  range: Range;
  newText: string;
}

/** What the checker says about a place of the text; offsets are those of the text it was said about. */
export interface Finding {
  code: string;
  severity: "error" | "warning" | "note";
  from: number;
  to: number;
  line: number;
  message: string;
  why: string;
  mend: { from: number; to: number; text: string } | null;
}

/** A change the language server offers at a place. */
export interface Action {
  title: string;
  edits: TextEdit[];
}

/** A word's documentation; `entry` is its page in the guide, empty for names of the script. */
export interface Explained {
  code: string;
  text: string;
  entry: string;
  range: Range;
}

interface SentDiagnostic {
  range: Range;
  severity: number;
  code: string;
  data: { message: string; why: string; mend: { text: string; range: Range } | null };
}

const SEVERITIES = { 1: "error", 2: "warning", 3: "note" } as const;

/** One editor's connection to the language server; it reconnects by itself, and typing never waits for it. */
export class LanguageLink {
  readonly uri: string;
  private readonly client: LSPClient;
  private readonly onFindings: (found: Finding[]) => void;
  private readonly socket: LastingSocket;
  private place: { market: string; timeframe: string } | null = null;
  private pending = 0;

  constructor(title: string, onFindings: (found: Finding[]) => void) {
    this.uri = `skelb:///page/${encodeURIComponent(title)}`;
    this.onFindings = onFindings;
    this.client = new LSPClient({
      timeout: 600_000, // what is asked while an editor closes is never answered: its late refusal would tell nobody anything
      notificationHandlers: {
        "textDocument/publishDiagnostics": (
          _client,
          params: { uri: string; version?: number; diagnostics: SentDiagnostic[] },
        ) => this.received(params),
      },
      extensions: [signatureHelp()],
    });
    this.socket = this.opened();
  }

  /** The extensions that make an editor speak with the server. */
  extensions(onOpenScript: (title: string) => void): Extension {
    return [
      this.client.plugin(this.uri, "skelb"),
      hoverTooltip((view, at) => this.hover(view, at)),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) this.syncSoon();
      }),
      keymap.of([
        { key: "F2", run: renameSymbol },
        { key: "Shift-F12", run: findReferences },
        { key: "Shift-Alt-f", run: formatDocument },
        { key: "F12", run: (view) => (void this.jump(view, onOpenScript), true) },
      ]),
    ];
  }

  /** Say where the script will run: pips, sessions and markets to propose depend on it. */
  runsOn(market: string, timeframe: string): void {
    if (this.place?.market === market && this.place.timeframe === timeframe) return;
    this.place = { market, timeframe };
    if (this.client.connected) this.client.notification("skelb/place", this.place);
  }

  /** The documentation of the word at an offset. */
  async explain(view: EditorView, at: number): Promise<Explained | null> {
    return this.ask<Explained>(view, "skelb/explain", at);
  }

  /** What the server offers to change at an offset. */
  async actions(view: EditorView, at: number): Promise<Action[]> {
    const position = LSPPlugin.get(view)!.toPosition(at);
    const found = await this.answer<{ title: string; edit: { changes: Record<string, TextEdit[]> } }[]>(
      "textDocument/codeAction",
      {
        range: { start: position, end: position },
        context: { diagnostics: [] },
      },
    );
    return (found ?? []).map((item) => ({ title: item.title, edits: item.edit.changes[this.uri] ?? [] }));
  }

  /** Make an action's edits, as one step that can be undone. */
  apply(view: EditorView, action: Action): void {
    const plugin = LSPPlugin.get(view)!;
    const changes = action.edits.map((edit) => ({
      from: plugin.fromPosition(edit.range.start),
      to: plugin.fromPosition(edit.range.end),
      insert: edit.newText,
    }));
    view.dispatch({ changes, userEvent: "input.action" });
    view.focus();
  }

  close(): void {
    window.clearTimeout(this.pending);
    this.socket.close();
  }

  private opened(): LastingSocket {
    const handlers = new Set<(value: string) => void>();
    const transport: Transport = {
      send: (message) => void this.socket.send(message),
      subscribe: (handler) => void handlers.add(handler),
      unsubscribe: (handler) => void handlers.delete(handler),
    };
    return new LastingSocket("/lsp", {
      onText: (text) => handlers.forEach((handler) => handler(text)),
      onOpen: () => {
        this.client.connect(transport);
        void this.client.initializing.then(() => {
          if (this.place) this.client.notification("skelb/place", this.place);
        });
      },
      onLost: () => {
        if (this.client.connected) this.client.disconnect();
      },
    });
  }

  private syncSoon(): void {
    window.clearTimeout(this.pending);
    this.pending = window.setTimeout(() => {
      if (this.client.connected) this.client.sync();
    }, 40);
  }

  private ask<T>(view: EditorView, method: string, at: number): Promise<T | null> {
    return this.answer<T>(method, { position: LSPPlugin.get(view)!.toPosition(at) });
  }

  /** The answer to a request about the text; null when there is none. */
  private answer<T>(method: string, params: object): Promise<T | null> {
    this.client.sync();
    return this.client.request<unknown, T | null>(method, { textDocument: { uri: this.uri }, ...params });
  }

  private received(params: { uri: string; version?: number; diagnostics: SentDiagnostic[] }): boolean {
    const file = this.client.workspace.getFile(params.uri);
    const view = file?.getView();
    const plugin = view && LSPPlugin.get(view);
    if (!file || !view || !plugin || (params.version != null && params.version !== file.version)) return true;
    const offset = (position: Position) =>
      plugin.unsyncedChanges.mapPos(plugin.fromPosition(position, plugin.syncedDoc));
    const found = params.diagnostics.map((item): Finding => {
      const { mend } = item.data;
      return {
        code: item.code,
        severity: SEVERITIES[item.severity as 1 | 2 | 3] ?? "note",
        from: offset(item.range.start),
        to: offset(item.range.end),
        line: item.range.start.line + 1,
        message: item.data.message,
        why: item.data.why,
        mend: mend && { from: offset(mend.range.start), to: offset(mend.range.end), text: mend.text },
      };
    });
    view.dispatch(
      setDiagnostics(
        view.state,
        found.map((item) => underline(view, item)),
      ),
    );
    this.onFindings(found);
    return true;
  }

  private async hover(view: EditorView, at: number): Promise<Tooltip | null> {
    if (!this.client.connected) return null;
    const found = await this.explain(view, at);
    const plugin = LSPPlugin.get(view);
    if (!found || !plugin) return null;
    return {
      pos: plugin.fromPosition(found.range.start),
      end: plugin.fromPosition(found.range.end),
      create: () => ({ dom: tooltip(found) }),
    };
  }

  private async jump(view: EditorView, onOpenScript: (title: string) => void): Promise<void> {
    const found = await this.ask<{ uri: string; range: Range }>(
      view,
      "textDocument/definition",
      view.state.selection.main.head,
    );
    if (!found) return;
    if (found.uri !== this.uri) {
      onOpenScript(decodeURIComponent(found.uri.replace("skelb:///", "")));
      return;
    }
    const at = LSPPlugin.get(view)!.fromPosition(found.range.start);
    view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
  }
}

function underline(view: EditorView, item: Finding): Underline {
  const line = view.state.doc.lineAt(item.from);
  const { mend } = item;
  return {
    // A place between two letters is shown on one of them.
    from: item.from === item.to && item.from === line.to ? Math.max(line.from, item.from - 1) : item.from,
    to: item.from === item.to ? Math.min(line.to, item.to + 1) : item.to,
    severity: item.severity === "note" ? "info" : item.severity,
    message: `${item.message}. ${item.why}`,
    actions: mend
      ? [{ name: mend.text ? `write ${mend.text}` : "leave it out", apply: (target) => applyMend(target, mend) }]
      : [],
  };
}

export function applyMend(view: EditorView, mend: { from: number; to: number; text: string }): void {
  view.dispatch({
    changes: { from: mend.from, to: mend.to, insert: mend.text },
    selection: { anchor: mend.from + mend.text.length },
    userEvent: "input.mend",
  });
  view.focus();
}

function tooltip(found: Explained): HTMLElement {
  const dom = document.createElement("div");
  dom.className = "w-[30rem] max-w-full px-3 py-2";
  const code = document.createElement("div");
  code.className = "num font-semibold whitespace-pre-wrap";
  code.textContent = found.code;
  dom.append(code);
  for (const part of found.text.split("\n\n")) {
    const line = document.createElement("p");
    line.className = "mt-1";
    line.textContent = part;
    dom.append(line);
  }
  if (/^(function|name)\//.test(found.entry)) {
    const picture = document.createElement("div");
    picture.className = "mt-2";
    dom.append(picture);
    void pictureOf(found.entry).then((svg) => (picture.innerHTML = svg));
  }
  const hint = document.createElement("p");
  hint.className = "mt-1 text-note text-soft";
  hint.textContent = found.entry ? "F1 keeps this open beside the text" : "";
  dom.append(hint);
  return dom;
}

const pictures = new Map<string, Promise<string>>();

/** The picture of a page of the guide as SVG text; empty when there are no demo bars. */
function pictureOf(entry: string): Promise<string> {
  let found = pictures.get(entry);
  if (!found) {
    found = fetchPicture(entry)
      .then((preview) => previewSvg(preview))
      .catch(() => "");
    pictures.set(entry, found);
  }
  return found;
}

async function fetchPicture(entry: string): Promise<Preview> {
  return unwrap(api.GET("/api/guide/picture", { params: { query: { id: entry } } }));
}
