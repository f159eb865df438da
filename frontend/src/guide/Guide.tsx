import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, guideEntryQuery, guidePictureQuery, guideQuery, scriptsQuery, unwrap } from "@/api";
import { Loading, PreviewPicture, Trouble } from "@/ui";
import { Markdown } from "@/ui/Markdown";
import { grouped, searched } from "./model";
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
  const rows = useQuery(guideQuery);
  const [search, setSearch] = useState("");
  if (rows.error) return <Trouble error={rows.error.message} />;
  if (!rows.data) return <Loading what="Opening the guide" />;
  const found = searched(rows.data, search);
  const shown = page ?? VOYAGE_PAGE;
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
            onKeyDown={(event) => event.key === "Enter" && found[0] && onPage(found[0].id)}
          />
        </div>
        <div className="min-h-0 flex-1 overflow-auto px-4 py-2">
          {search === "" && (
            <button
              type="button"
              aria-current={shown === VOYAGE_PAGE ? "page" : undefined}
              className={`mb-3 block w-full cursor-pointer border-l-2 py-0.5 pl-2 text-left hover:underline ${shown === VOYAGE_PAGE ? "border-short bg-shallow" : "border-transparent"}`}
              onClick={() => onPage(VOYAGE_PAGE)}
            >
              First voyage
            </button>
          )}
          {found.length === 0 && <p className="text-soft">No page speaks of “{search}”.</p>}
          {grouped(found).map(([group, items]) => (
            <div key={group} className="mb-3">
              <h2 className="text-note text-soft">{group}</h2>
              {items.map((row) => (
                <button
                  key={row.id}
                  type="button"
                  title={row.summary}
                  aria-current={row.id === shown ? "page" : undefined}
                  className={`block w-full cursor-pointer truncate border-l-2 py-0.5 pl-2 text-left hover:underline ${row.id === shown ? "border-short bg-shallow" : "border-transparent"} ${/^(function|name)\//.test(row.id) ? "num" : ""}`}
                  onClick={() => onPage(row.id)}
                >
                  {row.title}
                </button>
              ))}
            </div>
          ))}
        </div>
      </nav>
      {shown === VOYAGE_PAGE ? <VoyagePage onVoyage={onVoyage} /> : <Page key={shown} id={shown} onOpen={onOpen} />}
    </section>
  );
}

function Page({ id, onOpen }: { id: string; onOpen: (script: string) => void }) {
  const entry = useQuery(guideEntryQuery(id));
  const picture = useQuery({ ...guidePictureQuery(id), enabled: Boolean(entry.data?.example) });
  const client = useQueryClient();
  const tried = useMutation({
    mutationFn: (text: string) => unwrap(api.POST("/api/scripts", { body: { text } })),
    onSuccess: async (script) => {
      await client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
      onOpen(script.title);
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
        <Markdown text={text} />
        {example && (
          <div className="mt-5">
            <div className="mb-2 flex items-baseline gap-3">
              <h2 className="font-semibold">Example</h2>
              <button
                type="button"
                className="main-button ml-auto"
                disabled={tried.isPending}
                onClick={() => tried.mutate(titled(example, title))}
              >
                Open in the Workbench
              </button>
            </div>
            {tried.error && <Trouble error={tried.error.message} />}
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

/** The example under a title of its own, so that it never takes the place of a script of the user's. */
function titled(example: string, title: string): string {
  const body = example.replace(/^title "[^"]*"\n/, "");
  return `title "Example: ${title.replaceAll('"', "")}"\n${body}`;
}
