import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { guideEntryQuery, guidePictureQuery, guideQuery, scriptsQuery, type GuideEntry } from "@/api";
import { beginFrom } from "@/keeping";
import { Loading, PreviewPicture, Trouble } from "@/ui";
import { Markdown } from "@/ui/Markdown";
import { grouped, linkedPage } from "./model";
import { VoyagePage } from "./VoyagePage";

const VOYAGE_PAGE = "voyage";

interface Props {
  page: string | undefined;
  onPage: (page: string) => void;
  /** Go to where the first voyage is made. */
  onVoyage: () => void;
  onOpen: (script: string) => void;
}

/** Everything that can be looked up, beside the page that is open. */
export function Guide({ page, onPage, onVoyage, onOpen }: Props) {
  const [search, setSearch] = useState("");
  const words = search.trim();
  const rows = useQuery({ ...guideQuery(words), placeholderData: keepPreviousData });
  const client = useQueryClient();
  const shown = page ?? VOYAGE_PAGE;
  const openFirst = () =>
    client.fetchQuery(guideQuery(words)).then(
      ([first]) => first && onPage(first.id),
      () => undefined, // other words were typed since, or the list says what went wrong
    );
  return (
    <section className="flex h-full">
      <nav aria-label="Pages of the guide" className="flex w-72 flex-none flex-col border-r border-line">
        <div className="flex-none border-b border-line px-4 py-2">
          <input
            type="search"
            className="field w-full"
            placeholder="Search the guide"
            aria-label="Search the guide"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && void openFirst()}
          />
        </div>
        <div className="min-h-0 flex-1 overflow-auto px-4 py-2" aria-busy={rows.isFetching}>
          {words === "" && <PageLink id={VOYAGE_PAGE} title="First voyage" shown={shown} onPage={onPage} />}
          {rows.error && <Trouble error={rows.error.message} />}
          {rows.isPending && <Loading what="Opening the guide" />}
          {rows.data?.length === 0 && <p className="text-soft">No page speaks of “{words}”.</p>}
          {grouped(rows.data ?? []).map(([group, items]) => (
            <div key={group} className="mt-3 first:mt-0">
              <h2 className="text-note text-soft">{group}</h2>
              {items.map((row) => (
                <PageLink key={row.id} {...row} shown={shown} onPage={onPage} />
              ))}
            </div>
          ))}
        </div>
      </nav>
      {shown === VOYAGE_PAGE ? (
        <VoyagePage onVoyage={onVoyage} />
      ) : (
        <Page key={shown} id={shown} onPage={onPage} onOpen={onOpen} />
      )}
    </section>
  );
}

interface PageLinkProps {
  id: string;
  title: string;
  summary?: string;
  shown: string;
  onPage: (page: string) => void;
}

/** A line of the list of pages; the one that is open is in view. */
function PageLink({ id, title, summary, shown, onPage }: PageLinkProps) {
  const isShown = id === shown;
  const line = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    if (isShown) line.current?.scrollIntoView({ block: "nearest" });
  }, [isShown]);
  return (
    <button
      ref={line}
      type="button"
      title={summary}
      aria-current={isShown ? "page" : undefined}
      className={`block w-full cursor-pointer truncate border-l-2 py-0.5 pl-2 text-left hover:underline ${isShown ? "border-short bg-shallow" : "border-transparent"} ${/^(function|name)\//.test(id) ? "num" : ""}`}
      onClick={() => onPage(id)}
    >
      {title}
    </button>
  );
}

interface PageProps {
  id: string;
  onPage: (page: string) => void;
  onOpen: (script: string) => void;
}

function Page({ id, onPage, onOpen }: PageProps) {
  const entry = useQuery(guideEntryQuery(id));
  const picture = useQuery({ ...guidePictureQuery(id), enabled: Boolean(entry.data?.example) });
  const client = useQueryClient();
  const begun = useMutation({
    mutationFn: (found: GuideEntry) => client.fetchQuery(scriptsQuery).then((scripts) => ({ found, scripts })),
    onSuccess: ({ found, scripts }) => {
      const titles = scripts.map((script) => script.title);
      onOpen(beginFrom(found.example, found.title, titles));
    },
  });
  if (entry.error) return <Trouble error={entry.error.message} />;
  if (!entry.data) return <Loading what="Opening the page" />;
  const { title, group, text, example } = entry.data;
  return (
    <article className="min-w-0 flex-1 overflow-auto px-8 py-5">
      <div className="max-w-3xl">
        <p className="text-note text-soft">{group}</p>
        <h1 className="mb-3 text-xl">{title}</h1>
        <Markdown text={text} onLink={(address) => onPage(linkedPage(address))} />
        {example && (
          <div className="mt-5">
            <div className="mb-2 flex items-baseline gap-3">
              <h2 className="font-semibold">Example</h2>
              <button
                type="button"
                className="main-button ml-auto"
                disabled={begun.isPending}
                title="A script of your own to change; it is stored with its first save"
                onClick={() => begun.mutate(entry.data)}
              >
                Open in the Workbench
              </button>
            </div>
            {begun.error && <Trouble error={begun.error.message} />}
            {picture.data && <PreviewPicture preview={picture.data} />}
            {picture.error && <p className="text-soft">{picture.error.message}</p>}
            {!text.includes(example.trim()) && (
              <pre className="num mt-2 border-l-2 border-line px-3 py-1 text-body">{example.trim()}</pre>
            )}
          </div>
        )}
      </div>
    </article>
  );
}
