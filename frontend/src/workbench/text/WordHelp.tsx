import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { guideEntryQuery, guidePictureQuery } from "@/api";
import { later, PreviewPicture } from "@/ui";
import type { Explained } from "./language";

const Markdown = later(() => import("@/ui/Markdown").then((found) => found.Markdown));

/** A word's page, kept beside the text. */
export function WordHelp({ found, onClose }: { found: Explained; onClose: () => void }) {
  const entry = useQuery({ ...guideEntryQuery(found.entry), enabled: found.entry !== "" });
  const picture = useQuery({ ...guidePictureQuery(found.entry), enabled: Boolean(entry.data?.example) });
  return (
    <aside
      className="max-h-[45%] flex-none overflow-auto border-t border-line px-4 py-2"
      aria-label="Documentation of the word"
    >
      <div className="float-right flex gap-2">
        {found.entry && (
          <a className="text-long hover:underline" href={`/guide?page=${encodeURIComponent(found.entry)}`}>
            Open in the guide
          </a>
        )}
        <button
          type="button"
          className="cursor-pointer text-soft hover:text-base-content"
          aria-label="Close the documentation"
          onClick={onClose}
        >
          <X size={15} aria-hidden />
        </button>
      </div>
      {entry.data ? (
        <Markdown text={entry.data.text} />
      ) : (
        <Markdown text={`\`\`\`\n${found.code}\n\`\`\`\n\n${found.text}`} />
      )}
      {picture.data && (
        <div className="mt-2 max-w-md">
          <PreviewPicture preview={picture.data} />
        </div>
      )}
    </aside>
  );
}
