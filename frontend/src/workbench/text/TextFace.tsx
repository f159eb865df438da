import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import type { BarExplained, Setup } from "@/api";
import { type Held, later, Said, useHeld } from "@/ui";
import { ScriptEditor } from "./editor";
import type { Explained, Finding } from "./language";
import { TextTools, type Tool } from "./TextTools";

const BarNote = later(() => import("./BarNote").then((found) => found.BarNote));
const WordHelp = later(() => import("./WordHelp").then((found) => found.WordHelp));

interface Props {
  title: string;
  text: string;
  setup: Setup;
  /** The bar that is read. */
  explained: Held<BarExplained | null>;
  /** Whether what was read belongs to an older text than this one. */
  isQuiet: boolean;
  /** Whether bars after the one that is read are covered. */
  isCovered: boolean;
  zone: string;
  onText: (text: string) => void;
  onSave: () => void;
  onTool: (tool: Tool) => void;
  onOpenScript: (title: string) => void;
}

const MANY = 4;
const REST_MS = 350;

/** The script as text, with what the checker says about it and what can be done with it. */
export function TextFace({
  title,
  text,
  setup,
  explained,
  isQuiet,
  isCovered,
  zone,
  onText,
  onSave,
  onTool,
  onOpenScript,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const editor = useRef<ScriptEditor | null>(null);
  const first = useRef({ title, text });
  const [found, setFound] = useState<Finding[] | null>(null);
  const said = useRef(0);
  const [help, setHelp] = useState<Explained | null>(null);
  const [toolsOpen, setToolsOpen] = useState(false);
  const handlers = useRef({ onText, onSave, onOpenScript });
  useEffect(() => {
    handlers.current = { onText, onSave, onOpenScript };
  }, [onText, onSave, onOpenScript]);

  useLayoutEffect(() => {
    const made = new ScriptEditor(host.current!, first.current.title, first.current.text, {
      onText: (next) => handlers.current.onText(next),
      onSave: () => handlers.current.onSave(),
      onOpenScript: (name) => handlers.current.onOpenScript(name),
      onFindings: (next) => {
        // A half-written word is no mistake yet: what is wrong is said once the hands rest.
        window.clearTimeout(said.current);
        said.current = window.setTimeout(
          () => setFound(next),
          next.some((item) => item.severity === "error") ? REST_MS : 0,
        );
      },
      onHelp: setHelp,
      onTools: () => setToolsOpen(true),
    });
    editor.current = made;
    return () => {
      window.clearTimeout(said.current);
      editor.current = null;
      made.destroy();
    };
  }, []);

  // With the drawing, not after it: a letter typed in between would be taken back.
  useLayoutEffect(() => editor.current?.replace(text), [text]);
  useEffect(() => editor.current?.link.runsOn(setup.market, setup.timeframe), [setup.market, setup.timeframe]);

  const read = useCallback((bar: BarExplained | null) => editor.current?.read(bar), []);
  const errors = found?.filter((item) => item.severity === "error") ?? [];
  const others = (found?.length ?? 0) - errors.length;
  const leading = errors[0] ?? found?.find((item) => item.severity === "warning");
  const isCalm = errors.length >= MANY;
  return (
    <>
      <div ref={host} className={`min-h-0 flex-1 overflow-hidden ${isCalm ? "calm" : ""}`} data-testid="editor" />
      <Readings explained={explained} isQuiet={isQuiet} isCovered={isCovered} zone={zone} onRead={read} />
      {help && <WordHelp found={help} onClose={() => setHelp(null)} />}
      {isCalm ? (
        <ToChange
          errors={errors}
          onGo={(item) => editor.current?.goTo(item)}
          onMend={(item) => editor.current?.mend(item)}
          onMendAll={() => editor.current?.mendAll(errors)}
        />
      ) : (
        leading && (
          <Leading
            item={leading}
            onGo={() => editor.current?.goTo(leading)}
            onMend={() => editor.current?.mend(leading)}
          />
        )
      )}
      <div className="flex h-8 flex-none items-center gap-3 border-t border-line px-4 text-note">
        {found === null ? (
          <span className="text-soft">checking…</span>
        ) : errors.length === 0 ? (
          <span className="text-gain">✓ checks clean</span>
        ) : (
          <span className="text-loss">✕ {errors.length === 1 ? "1 error" : `${errors.length} errors`}</span>
        )}
        {others > 0 && (
          <Others
            items={found?.filter((item) => item.severity !== "error") ?? []}
            onGo={(item) => editor.current?.goTo(item)}
          />
        )}
        <TextTools
          className="ml-auto"
          isOpen={toolsOpen}
          onOpen={setToolsOpen}
          actions={() => editor.current?.actions() ?? Promise.resolve([])}
          onAction={(action) => editor.current?.apply(action)}
          onTool={(tool) => {
            if (tool === "format") editor.current?.format();
            else if (tool === "rename") editor.current?.rename();
            else if (tool === "uses") editor.current?.findUses();
            else onTool(tool);
          }}
        />
      </div>
    </>
  );
}

/** The bar that is read, in the text and below it: drawn anew with every bar, while the text around it rests. */
function Readings({
  explained,
  isQuiet,
  isCovered,
  zone,
  onRead,
}: Pick<Props, "explained" | "isQuiet" | "isCovered" | "zone"> & { onRead: (bar: BarExplained | null) => void }) {
  const now = useHeld(explained);
  const bar = isQuiet ? null : now;
  useEffect(() => onRead(bar), [bar, onRead]);
  return bar && <BarNote found={bar} isCovered={isCovered} zone={zone} />;
}

function Leading({ item, onGo, onMend }: { item: Finding; onGo: () => void; onMend: () => void }) {
  return (
    <div className="flex-none border-t border-line px-4 py-2" role="status">
      <p className={item.severity === "error" ? "text-loss" : "text-brass"}>
        <button type="button" className="num cursor-pointer hover:underline" onClick={onGo}>
          line {item.line}
        </button>
        : <Said text={`${item.message}.`} />
      </p>
      <p className="text-soft">
        <Said text={item.why} />
      </p>
      {item.mend && (
        <button type="button" className="plain-button mt-1" onClick={onMend}>
          {item.mend.text ? (
            <>
              Write <span className="num">{item.mend.text}</span>
            </>
          ) : (
            "Leave it out"
          )}
        </button>
      )}
    </div>
  );
}

/** Many mistakes at once, as after pasting a text of another language: what to change, in order. */
function ToChange({
  errors,
  onGo,
  onMend,
  onMendAll,
}: {
  errors: Finding[];
  onGo: (item: Finding) => void;
  onMend: (item: Finding) => void;
  onMendAll: () => void;
}) {
  const sure = errors.filter((item) => item.mend).length;
  return (
    <div className="flex max-h-[38%] flex-none flex-col border-t border-line" role="status" aria-label="What to change">
      <p className="flex items-baseline gap-3 px-4 pt-2">
        <span className="font-semibold">{errors.length} things to change, in order</span>
        {sure > 1 && (
          <button type="button" className="plain-button ml-auto" onClick={onMendAll}>
            Mend the {sure} that are sure
          </button>
        )}
      </p>
      <ol className="min-h-0 flex-1 overflow-auto px-4 pb-2">
        {errors.map((item, index) => (
          <li key={index} className="flex items-baseline gap-2 border-b border-line py-1">
            <button
              type="button"
              className="num w-14 flex-none cursor-pointer text-left text-long hover:underline"
              onClick={() => onGo(item)}
            >
              line {item.line}
            </button>
            <span className="min-w-0 flex-1" title={item.why}>
              <Said text={item.message} />
            </span>
            {item.mend && (
              <button
                type="button"
                className="num flex-none cursor-pointer text-long hover:underline"
                onClick={() => onMend(item)}
              >
                {item.mend.text || "leave out"}
              </button>
            )}
          </li>
        ))}
      </ol>
    </div>
  );
}

function Others({ items, onGo }: { items: Finding[]; onGo: (item: Finding) => void }) {
  const firstItem = items[0];
  return (
    <button
      type="button"
      className="cursor-pointer text-soft hover:underline"
      title={items.map((item) => `line ${item.line}: ${item.message}`).join("\n")}
      onClick={() => firstItem && onGo(firstItem)}
    >
      {items.length === 1 ? "1 note" : `${items.length} notes`}
    </button>
  );
}
