import { marked } from "marked";
import { useMemo, type MouseEvent } from "react";

interface Props {
  text: string;
  /** Go where a plain press on a link leads, without leaving the page; it is followed as any other where this is left out. */
  onLink?: (address: string) => void;
}

/** A page of the guide; its text is the program's own. Wide code scrolls, so keys must reach it. */
export function Markdown({ text, onLink }: Props) {
  const html = useMemo(() => marked.parse(text, { async: false }).replaceAll("<pre>", '<pre tabindex="0">'), [text]);
  const follow = (event: MouseEvent) => {
    const link = (event.target as Element).closest("a");
    if (!link || !onLink || event.metaKey || event.ctrlKey || event.shiftKey) return;
    event.preventDefault();
    onLink(link.getAttribute("href") ?? "");
  };
  // eslint-disable-next-line jsx-a11y/no-static-element-interactions -- the links within it are what is pressed
  return <div className="markdown" onClick={follow} dangerouslySetInnerHTML={{ __html: html }} />;
}
