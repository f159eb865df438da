import { highlightCode, tagHighlighter, tags } from "@lezer/highlight";
import { useMemo } from "react";
import { language } from "./highlight";

const looks = tagHighlighter([
  { tag: tags.keyword, class: "text-long" },
  { tag: tags.string, class: "text-brass" },
  { tag: tags.number, class: "text-loss" },
  { tag: tags.comment, class: "italic" },
  { tag: tags.function(tags.variableName), class: "font-semibold" },
]);

/** A line of a script as the editor shows it. */
export function Looks({ text }: { text: string }) {
  const pieces = useMemo(() => {
    const found: [string, string][] = [];
    highlightCode(
      text,
      language.parser.parse(text),
      looks,
      (code, classes) => found.push([code, classes]),
      () => {},
    );
    return found;
  }, [text]);
  return pieces.map(([code, classes], place) => (
    <span key={place} className={classes}>
      {code}
    </span>
  ));
}
