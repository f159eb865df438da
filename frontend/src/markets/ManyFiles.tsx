import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, marketsQuery, sendFile, unwrap, type ImportPreview, type Market } from "@/api";
import { Picker, plain, tellAll } from "@/ui";
import { ComparedWords, HOW_WORDS, useCompared, type How } from "./Compared";
import { guessed, NEW, settingsOf } from "./model";

interface Row {
  file: File;
  preview?: ImportPreview;
  symbol: string;
  how: How;
  isTaken: boolean;
  isStored?: boolean;
  problem?: string;
}

interface Props {
  files: File[];
  zone: string;
  known: Market[];
}

/** Several files: each read, then one table of what will be stored, then stored one after the other. */
export function ManyFiles({ files, zone, known }: Props) {
  const client = useQueryClient();
  const [rows, setRows] = useState<Row[]>(() => files.map((file) => ({ file, symbol: "", how: "add", isTaken: true })));
  const [doing, setDoing] = useState<"reading" | "storing" | null>("reading");
  const stop = useRef(() => {}); // what is being done; a file is stored whole or not at all
  const put = (file: File, change: Partial<Row>) =>
    setRows((before) => before.map((row) => (row.file === file ? { ...row, ...change } : row)));

  useEffect(() => {
    let isStopped = false;
    stop.current = () => {
      isStopped = true;
      setDoing(null);
    };
    void (async () => {
      for (const file of files) {
        if (isStopped) return;
        try {
          const preview = await sendFile(file, zone);
          put(file, { preview, symbol: preview.symbol });
        } catch (error) {
          put(file, { problem: (error as Error).message });
        }
      }
      if (!isStopped) setDoing(null);
    })();
    return () => {
      isStopped = true;
    };
  }, [files, zone]);

  const ready = rows.filter((row) => row.preview && row.isTaken && !row.isStored);
  const nameless = ready.filter((row) => row.symbol.trim() === "");
  const store = async () => {
    setDoing("storing");
    let isStopped = false;
    stop.current = () => {
      isStopped = true;
    };
    const shortestFirst = [...ready].sort((a, b) => lengthOf(a) - lengthOf(b)); // the shortest describe a new market
    const described = new Set(known.map((market) => market.symbol));
    for (const { file, preview, symbol, how } of shortestFirst) {
      if (isStopped) break;
      const settings = settingsOf({ ...NEW, zone, ...guessed(preview!.guesses) });
      const body = {
        token: preview!.token,
        symbol,
        title: "",
        how,
        ...(described.has(symbol.trim()) ? {} : { settings }),
      };
      try {
        await unwrap(api.POST("/api/imports/store", { body }));
        described.add(symbol.trim());
        put(file, { isStored: true, problem: undefined });
      } catch (error) {
        put(file, { problem: (error as Error).message });
      }
    }
    setDoing(null);
    await client.invalidateQueries({ queryKey: marketsQuery.queryKey });
    tellAll(isStopped ? "Stopped; what was stored stays." : "The files are stored, but for those that say why not.");
  };
  const read = rows.filter((row) => row.preview || row.problem).length;
  const stored = rows.filter((row) => row.isStored).length;
  return (
    <div>
      <table className="w-full text-left" data-testid="files">
        <thead className="text-soft">
          <tr className="border-b border-line">
            {["", "File", "Market", "Bars", "From, to", "What becomes of them"].map((name) => (
              <th key={name} scope="col" className="px-2 py-1 font-normal">
                {name || <span className="sr-only">to be stored</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, place) => (
            <FileRow
              key={`${place} ${row.file.name}`}
              row={row}
              isAfter={rows.slice(0, place).some((other) => isSamePlace(other, row))}
              known={known}
              isBusy={doing === "storing"}
              onPut={(change) => put(row.file, change)}
            />
          ))}
        </tbody>
      </table>
      <p className="mt-3 flex items-center gap-3">
        {doing === null ? (
          <button
            type="button"
            className="main-button"
            disabled={ready.length === 0 || nameless.length > 0}
            onClick={() => void store()}
          >
            Store {ready.length === 1 ? "1 file" : `${plain(ready.length, 0)} files`}
          </button>
        ) : (
          <>
            <progress
              className="progress w-60"
              aria-label={doing === "reading" ? "Reading the files" : "Storing the files"}
              value={doing === "reading" ? read : stored}
              max={rows.length}
            />
            <span className="text-soft" role="status">
              {doing === "reading" ? `${read} of ${rows.length} read` : `${stored} stored`}
            </span>
            <button type="button" className="plain-button" onClick={() => stop.current()}>
              Stop
            </button>
          </>
        )}
        {nameless.length > 0 && <span className="text-brass">{nameless[0]!.file.name} needs a market.</span>}
        {doing === null && stored > 0 && (
          <span className="text-soft" role="status">
            {plain(stored, 0)} of {plain(rows.length, 0)} files are stored.
          </span>
        )}
      </p>
    </div>
  );
}

const lengthOf = (row: Row) => {
  const [, count, unit] = /^(\d+)([mhdw])$/.exec(row.preview!.timeframe)!;
  return Number(count) * { m: 1, h: 60, d: 1440, w: 10_080 }[unit as "m" | "h" | "d" | "w"];
};
const isSamePlace = (one: Row, other: Row) =>
  one.isTaken && one.symbol.trim() === other.symbol.trim() && one.preview?.timeframe === other.preview?.timeframe;

interface FileRowProps {
  row: Row;
  /** Whether another file before it is of the same market and timeframe. */
  isAfter: boolean;
  known: Market[];
  isBusy: boolean;
  onPut: (change: Partial<Row>) => void;
}

function FileRow({ row, isAfter, known, isBusy, onPut }: FileRowProps) {
  const { preview, file } = row;
  const symbol = row.symbol.trim();
  const market = known.find((item) => item.symbol === symbol);
  const joining = useCompared(row.isStored ? undefined : preview, market ? symbol : "");
  return (
    <tr className="border-b border-line align-baseline" data-file={file.name}>
      <td className="px-2 py-1">
        <input
          type="checkbox"
          className="accent-base-content"
          aria-label={`Store ${file.name}`}
          checked={row.isTaken && preview !== undefined}
          disabled={!preview || isBusy || row.isStored}
          onChange={(event) => onPut({ isTaken: event.target.checked })}
        />
      </td>
      <th scope="row" className="max-w-64 px-2 font-normal break-words">
        {file.name}
      </th>
      {preview ? (
        <>
          <td className="px-2">
            <input
              className="field num w-28"
              aria-label={`Market of ${file.name}`}
              maxLength={40}
              value={row.symbol}
              disabled={isBusy || row.isStored}
              onChange={(event) => onPut({ symbol: event.target.value })}
            />
          </td>
          <td className="num px-2 whitespace-nowrap">
            {plain(preview.rows, 0)} of {preview.timeframe}
            {preview.refused_count > 0 && (
              <div className="text-loss" title={Object.keys(preview.reasons).join("; ")}>
                {plain(preview.refused_count, 0)} rows refused
              </div>
            )}
          </td>
          <td className="num px-2 whitespace-nowrap text-note text-soft">
            {preview.first.slice(0, 10)} {preview.last.slice(0, 10)}
          </td>
        </>
      ) : (
        <td colSpan={3} className="px-2 text-soft">
          {row.problem ? "" : "waits to be read"}
        </td>
      )}
      <td className="px-2 text-note">
        {row.problem ? (
          <span className="text-loss">{row.problem}</span>
        ) : row.isStored ? (
          <span className="text-profit">stored</span>
        ) : joining ? (
          <>
            <ComparedWords joining={joining} timeframe={preview!.timeframe} />{" "}
            <Picker
              label={`What becomes of the bars there are: ${file.name}`}
              value={row.how}
              options={HOW_WORDS}
              onChange={(how) => onPut({ how: how as How })}
            />
          </>
        ) : isAfter ? (
          "added to the file before it"
        ) : market ? (
          `a timeframe more of ${market.symbol}`
        ) : preview ? (
          <span className="text-brass" title={preview.guesses.map(({ key, reason }) => `${key}: ${reason}`).join("; ")}>
            a new market{preview.guesses.length > 0 && ": "}
            {preview.guesses.map(({ key, value }) => `${key.replace("_", " ")} ${value}`).join(", ")}
          </span>
        ) : null}
      </td>
    </tr>
  );
}
