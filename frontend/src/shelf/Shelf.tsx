import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, guideEntryQuery, guideQuery, scriptsQuery, unwrap, type Script } from "@/api";
import { allDrafts, beginFrom, freshTitle, RemovalDialog, TakenAway, type Draft, type Removed } from "@/keeping";
import { dateText, Dialog, Loading, OneStop, Picker, tellAll, timeText, Trouble } from "@/ui";
import { Files } from "./Files";

const STATUSES = ["idea", "testing", "trusted"].map((value) => ({ value, label: value }));

type Open = (script: string, version?: number) => void;

/** Scripts with their versions, and what was typed and not saved. */
export function Shelf({ onOpen }: { onOpen: Open }) {
  const scripts = useQuery(scriptsQuery);
  const [leaving, setLeaving] = useState<Removed | null>(null);
  const [renaming, setRenaming] = useState<string | null>(null);
  const drafts = allDrafts();
  const titles = scripts.data?.map((script) => script.title) ?? [];
  const unsaved = drafts.filter((draft) => draft.version === 0 && !titles.includes(draft.title));
  const taken = new Set([...titles, ...unsaved.map((draft) => draft.title)]);
  return (
    <section className="flex h-full flex-col">
      <header className="flex h-[46px] flex-none items-center justify-between border-b border-line px-4">
        <h1 className="text-base">Shelf</h1>
        <span className="flex items-center gap-2">
          <button
            type="button"
            className="main-button"
            onClick={() => onOpen(freshTitle("New idea", taken), 0)}
            disabled={!scripts.data}
            title="A beginning to change word by word; it is stored with its first save"
          >
            New script
          </button>
          <FromExample titles={titles} onOpen={onOpen} />
          <Files />
        </span>
      </header>
      {scripts.isPending && <Loading what="Reading the shelf" />}
      {scripts.error && <Trouble error={scripts.error.message} />}
      {scripts.data && (
        <div className="flex-1 overflow-auto">
          <TakenAway kind="script" />
          <OneStop>
            <table className="w-full text-left">
              <thead className="text-soft">
                <tr className="border-b border-line">
                  {["Script", "Status", "What it teaches", "Saved", "Versions", ""].map((name, place) => (
                    <th key={place} scope="col" className={`py-2 font-normal ${place === 0 ? "px-4" : "px-2"}`}>
                      {name || <span className="sr-only">What can be done</span>}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {unsaved.map((draft) => (
                  <tr key={`${draft.tab} ${draft.title}`} className="border-b border-line align-top hover:bg-base-100">
                    <th scope="row" className="px-4 py-2 text-left font-normal">
                      <button
                        type="button"
                        className="cursor-pointer font-semibold text-long underline-offset-2 hover:underline"
                        onClick={() => onOpen(draft.title, 0)}
                      >
                        {draft.title}
                      </button>
                    </th>
                    <td className="px-2 py-2 text-brass" colSpan={5}>
                      never saved, {whenTyped(draft)}
                    </td>
                  </tr>
                ))}
                {scripts.data.map((script) => (
                  <ScriptRow
                    key={script.title}
                    script={script}
                    draft={drafts.find((draft) => draft.title === script.title)}
                    usedBy={scripts.data
                      .filter((other) => other.uses.includes(script.title))
                      .map((other) => other.title)}
                    onOpen={onOpen}
                    onRename={() => setRenaming(script.title)}
                    onDelete={() => setLeaving({ kind: "script", name: script.title, called: script.title })}
                  />
                ))}
              </tbody>
            </table>
          </OneStop>
        </div>
      )}
      {leaving && <RemovalDialog what={leaving} onClose={() => setLeaving(null)} />}
      {renaming !== null && <Rename title={renaming} titles={titles} onClose={() => setRenaming(null)} />}
    </section>
  );
}

function whenTyped(draft: Draft): string {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return `typed ${dateText(new Date(draft.at).toISOString())} at ${timeText(draft.at / 1000, zone, "time")}`;
}

interface RowProps {
  script: Script;
  /** A text of it that was typed and not saved. */
  draft: Draft | undefined;
  usedBy: string[];
  onOpen: Open;
  onRename: () => void;
  onDelete: () => void;
}

/** A new script out of one of the guide's how-to pages; like any, it is stored with its first save. */
function FromExample({ titles, onOpen }: { titles: readonly string[]; onOpen: Open }) {
  const client = useQueryClient();
  const pages = useQuery(guideQuery(""));
  const begin = useMutation({
    mutationFn: (id: string) => client.fetchQuery(guideEntryQuery(id)),
    onSuccess: (page) => onOpen(beginFrom(page.example, page.title, titles), 0),
  });
  const howTos = (pages.data ?? []).filter((page) => page.id.startsWith("howto/"));
  return (
    <>
      {(begin.error ?? pages.error) && <Trouble error={(begin.error ?? pages.error)!.message} />}
      <Picker
        label="New from an example"
        value=""
        options={[
          { value: "", label: "New from an example…" },
          ...howTos.map(({ id, title }) => ({ value: id, label: title })),
        ]}
        onChange={(id) => id && begin.mutate(id)}
      />
    </>
  );
}

function ScriptRow({ script, draft, usedBy, onOpen, onRename, onDelete }: RowProps) {
  const client = useQueryClient();
  const [showAll, setShowAll] = useState(false);
  const refresh = () => client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
  const status = useMutation({
    mutationFn: (value: string) =>
      unwrap(api.POST("/api/scripts/status", { body: { title: script.title, status: value } })),
    onSuccess: refresh,
  });
  const copy = useMutation({
    mutationFn: () => unwrap(api.POST("/api/scripts/duplicate", { body: { title: script.title } })),
    onSuccess: (made) => {
      tellAll(`${made.title} was made.`);
      return refresh();
    },
  });
  const newest = script.versions[script.versions.length - 1];
  const shown = [...script.versions].reverse().slice(0, showAll ? undefined : 4);
  const small = "cursor-pointer text-note text-soft hover:text-base-content hover:underline";
  return (
    <tr className="border-b border-line align-top hover:bg-base-100">
      <th scope="row" className="px-4 py-2 text-left font-normal">
        <button
          type="button"
          className="cursor-pointer text-left font-semibold text-long underline-offset-2 hover:underline"
          onClick={() => onOpen(script.title)}
        >
          {script.title}
        </button>
        <Linked word="uses" titles={script.uses} onOpen={onOpen} />
        <Linked word="used by" titles={usedBy} onOpen={onOpen} />
        {draft && <div className="text-note text-brass">unsaved changes, {whenTyped(draft)}</div>}
      </th>
      <td className="px-2 py-2">
        <Picker
          label={`Status of ${script.title}`}
          value={script.status}
          options={STATUSES}
          onChange={(value) => status.mutate(value)}
        />
      </td>
      <td className="max-w-md px-2 py-2 text-soft">{script.lesson || "–"}</td>
      <td className="whitespace-nowrap px-2 py-2">{newest ? dateText(newest.created) : "–"}</td>
      <td className="px-2 py-2">
        {shown.map((version) => (
          <button
            key={version.number}
            type="button"
            className="num mr-2 cursor-pointer text-long hover:underline"
            aria-label={`Open v${version.number} of ${script.title}`}
            onClick={() => onOpen(script.title, version.number)}
          >
            v{version.number}
          </button>
        ))}
        {script.versions.length > shown.length && (
          <button type="button" className="cursor-pointer text-soft hover:underline" onClick={() => setShowAll(true)}>
            {script.versions.length - shown.length} earlier
          </button>
        )}
      </td>
      <td className="px-2 py-2 pr-4 text-right whitespace-nowrap">
        <span className="inline-flex gap-3">
          <button type="button" className={small} aria-label={`Rename ${script.title}`} onClick={onRename}>
            rename
          </button>
          <button
            type="button"
            className={small}
            aria-label={`Duplicate ${script.title}`}
            aria-disabled={copy.isPending}
            onClick={() => !copy.isPending && copy.mutate()}
          >
            duplicate
          </button>
          <button
            type="button"
            className={`${small} hover:!text-loss`}
            aria-label={`Delete ${script.title}`}
            onClick={onDelete}
          >
            delete
          </button>
        </span>
        {copy.error && <Trouble error={copy.error.message} />}
      </td>
    </tr>
  );
}

/** Scripts that a script stands on, or that stand on it. */
function Linked({ word, titles, onOpen }: { word: string; titles: string[]; onOpen: Open }) {
  if (titles.length === 0) return null;
  return (
    <div className="text-note text-soft">
      {word}{" "}
      {titles.map((title, place) => (
        <span key={title}>
          {place > 0 && ", "}
          <button
            type="button"
            className="cursor-pointer text-long hover:underline"
            aria-label={`Open ${title}, which ${word === "uses" ? "it uses" : "uses it"}`}
            onClick={() => onOpen(title)}
          >
            {title}
          </button>
        </span>
      ))}
    </div>
  );
}

/** Another title for a script; its text says it too, in a new version. */
function Rename({ title, titles, onClose }: { title: string; titles: string[]; onClose: () => void }) {
  const client = useQueryClient();
  const [to, setTo] = useState(title);
  const rename = useMutation({
    mutationFn: () => unwrap(api.POST("/api/scripts/rename", { body: { title, to } })),
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
      tellAll(`${title} is called ${made.title} now.`);
      onClose();
    },
  });
  const isTaken = to.trim() !== title && titles.includes(to.trim());
  return (
    <Dialog title={`Rename ${title}`} onClose={onClose}>
      <form
        className="flex flex-col gap-2 px-4 py-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isTaken && to.trim() && to.trim() !== title) rename.mutate();
        }}
      >
        <label className="flex items-baseline gap-2">
          Its new title
          <input
            autoFocus
            className="field min-w-0 flex-1"
            value={to}
            onChange={(event) => setTo(event.target.value)}
          />
        </label>
        <p className="text-soft">
          Its text says so in a new version. Scripts that use it by its old title would not find it.
        </p>
        {isTaken && <p className="text-loss">There is a script of that title.</p>}
        {rename.error && <Trouble error={rename.error.message} />}
        <button
          type="submit"
          className="main-button self-start"
          disabled={isTaken || !to.trim() || to.trim() === title || rename.isPending}
        >
          Rename
        </button>
      </form>
    </Dialog>
  );
}
