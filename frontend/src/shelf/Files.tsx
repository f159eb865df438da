import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, scriptsQuery, unwrap, type ShelfFile } from "@/api";
import { Dialog, PopOver, saveFile, tellAll, Trouble } from "@/ui";

type Sent = { name: string; data: string }[];

/** The shelf as files: all of it taken away, or files brought onto it and what differs looked at first. */
export function Files() {
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const take = useMutation({
    mutationFn: () => unwrap(api.GET("/api/scripts/files", { parseAs: "blob" }) as Promise<{ data?: Blob }>),
    onSuccess: (file) => saveFile("Shelf.zip", file, "application/zip"),
  });
  const bring = useMutation({
    mutationFn: async (files: File[]) => {
      const read = await Promise.all(files.map(async (file) => ({ name: file.name, data: await inBase64(file) })));
      const found = await unwrap(api.POST("/api/scripts/files", { body: { files: read, take: false } }));
      return { read, found };
    },
    onSuccess: () => client.invalidateQueries({ queryKey: scriptsQuery.queryKey }),
  });
  const error = take.error ?? bring.error;
  return (
    <>
      <PopOver face="Files" className="plain-button" side="right" title="The shelf as files, for version control">
        {(close) => (
          <span className="flex w-72 flex-col items-stretch gap-2 p-3">
            <button type="button" className="plain-button" onClick={() => (take.mutate(), close())}>
              Take all away
            </button>
            <span className="text-note text-soft">The newest text of every script as a .skelb file, in one zip.</span>
            <button type="button" className="plain-button" onClick={() => (chooser.current?.click(), close())}>
              Bring files…
            </button>
            <span className="text-note text-soft">
              .skelb files, or zips of them. New scripts are stored; where one is here already, what differs is shown
              first.
            </span>
          </span>
        )}
      </PopOver>
      <input
        ref={chooser}
        type="file"
        multiple
        accept=".skelb,.zip"
        className="hidden"
        aria-label="Script files to bring"
        onChange={(event) => {
          const files = [...(event.target.files ?? [])];
          if (files.length > 0) bring.mutate(files);
          event.target.value = ""; // the same file may be chosen again
        }}
      />
      {error && (
        <Dialog
          title={bring.error ? "Nothing was stored" : "Nothing was taken away"}
          onClose={() => (bring.reset(), take.reset())}
        >
          <Trouble error={error.message} />
        </Dialog>
      )}
      {bring.data && <Brought found={bring.data.found} sent={bring.data.read} onClose={bring.reset} />}
    </>
  );
}

const SAID: Record<ShelfFile["how"], string> = {
  new: "new: stored",
  same: "the same as here",
  changed: "stored as a new version",
  older: "an earlier version of what is here",
  differs: "differs from what is here",
};

const isOther = ({ how }: ShelfFile) => how === "differs" || how === "older";

/** What became of each file; what differs is stored only when that is pressed. */
function Brought({ found, sent, onClose }: { found: ShelfFile[]; sent: Sent; onClose: () => void }) {
  const client = useQueryClient();
  const take = useMutation({
    mutationFn: () => unwrap(api.POST("/api/scripts/files", { body: { files: sent, take: true } })),
    onSuccess: async (taken) => {
      await client.invalidateQueries({ queryKey: scriptsQuery.queryKey });
      tellAll(`${taken.filter((file) => file.how === "changed").length} stored as new versions.`);
    },
  });
  // What was new at first is the same by now: it stays said as it was.
  const shown = found.map((file, place) =>
    take.data?.[place]?.how === "changed" ? { ...file, how: "changed" as const } : file,
  );
  const differing = shown.filter(isOther);
  return (
    <Dialog title={`${found.length} script${found.length === 1 ? "" : "s"} from files`} onClose={onClose} wide>
      <ul aria-label="What became of each file" className="min-h-0 flex-1 overflow-auto px-4 py-2">
        {shown.map((file, place) => (
          <li key={place} className="border-b border-line py-2" data-file={file.file}>
            <b className="font-semibold">{file.title}</b>{" "}
            <span className={isOther(file) ? "text-brass" : "text-soft"}>{SAID[file.how]}</span>
            <span className="num float-right text-note text-soft">{file.file}</span>
            {file.difference && <Difference text={file.difference} />}
          </li>
        ))}
      </ul>
      <p className="flex items-center gap-3 border-t border-line px-4 py-3">
        {differing.length > 0 && (
          <button
            type="button"
            className="main-button"
            aria-disabled={take.isPending}
            onClick={() => !take.isPending && take.mutate()}
          >
            Store {differing.length === 1 ? "it as a new version" : `these ${differing.length} as new versions`}
          </button>
        )}
        <button type="button" className={differing.length > 0 ? "plain-button" : "main-button"} onClick={onClose}>
          {differing.length > 0 ? "Leave the shelf as it is" : "Close"}
        </button>
        {take.error && <Trouble error={take.error.message} />}
      </p>
    </Dialog>
  );
}

const TONES: Record<string, string> = { "+": "text-gain", "-": "text-loss", "@": "text-soft" };

/** What goes and what comes, line by line, each with its sign. */
function Difference({ text }: { text: string }) {
  const lines = text.split("\n").slice(2, -1); // without the two names, which stand above
  return (
    <pre className="num mt-1 overflow-x-auto border-l-2 border-line pl-3 text-note">
      {lines.map((line, place) => (
        <span key={place} className={`block ${TONES[line[0] ?? ""] ?? ""}`}>
          {line.startsWith("@@") ? `from line ${/\+(\d+)/.exec(line)?.[1] ?? ""} on` : line || " "}
        </span>
      ))}
    </pre>
  );
}

async function inBase64(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  let signs = "";
  for (let at = 0; at < bytes.length; at += 8_192) signs += String.fromCharCode(...bytes.subarray(at, at + 8_192));
  return btoa(signs);
}
