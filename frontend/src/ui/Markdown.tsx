import { marked } from "marked";
import { useMemo } from "react";

/** A page of the guide; its text is the program's own. Wide code scrolls, so keys must reach it. */
export function Markdown({ text }: { text: string }) {
  const html = useMemo(() => marked.parse(text, { async: false }).replaceAll("<pre>", '<pre tabindex="0">'), [text]);
  return <div className="markdown" dangerouslySetInnerHTML={{ __html: html }} />;
}
