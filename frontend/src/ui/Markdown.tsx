import { marked } from "marked";
import { useMemo } from "react";

/** A page of the guide; its text is the program's own. */
export function Markdown({ text }: { text: string }) {
  const html = useMemo(() => marked.parse(text, { async: false }), [text]);
  return <div className="markdown" dangerouslySetInnerHTML={{ __html: html }} />;
}
