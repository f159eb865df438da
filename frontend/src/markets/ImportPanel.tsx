import { useState, type DragEvent } from "react";
import type { Market } from "@/api";
import { ManyFiles } from "./ManyFiles";
import { ACCEPTED, filesOf, ofBars } from "./model";
import { OneFile } from "./OneFile";

interface Props {
  known: Market[];
  onClose: () => void;
  onOpen: (market: string) => void;
}

/** Choose files or a folder of them; one is looked at whole, several are listed before anything is stored. */
export function ImportPanel({ known, onClose, onOpen }: Props) {
  const [zone, setZone] = useState("UTC");
  const [chosen, setChosen] = useState({ number: 0, files: [] as File[], zone });
  const choose = (files: File[]) => files.length > 0 && setChosen({ number: chosen.number + 1, files, zone });
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    choose(await filesOf(event.dataTransfer.items));
  };
  const [only] = chosen.files;
  return (
    <div
      className="border-b border-line bg-base-100 p-4"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => void drop(event)}
    >
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <h2>Import bars</h2>
        <label className="plain-button focus-within:outline-2 focus-within:outline-long">
          Choose files
          <input
            type="file"
            multiple
            accept={ACCEPTED}
            className="sr-only"
            aria-label="Files of bars"
            onChange={(event) => choose([...(event.target.files ?? [])])}
          />
        </label>
        <label className="plain-button focus-within:outline-2 focus-within:outline-long">
          Choose a folder
          <input
            type="file"
            className="sr-only"
            aria-label="Folder of bars"
            ref={(input) => input?.setAttribute("webkitdirectory", "")}
            onChange={(event) => choose(ofBars([...(event.target.files ?? [])]))}
          />
        </label>
        <span className="text-soft">or drop them here. Times without an offset are in</span>
        <input
          className="field w-40"
          aria-label="Zone of the file's times"
          value={zone}
          onChange={(event) => setZone(event.target.value)}
        />
        <button type="button" className="plain-button ml-auto" onClick={onClose}>
          Close
        </button>
      </div>
      {chosen.files.length === 1 && only && (
        <OneFile key={chosen.number} file={only} zone={chosen.zone} known={known} onOpen={onOpen} />
      )}
      {chosen.files.length > 1 && (
        <ManyFiles key={chosen.number} files={chosen.files} zone={chosen.zone} known={known} />
      )}
    </div>
  );
}
