import { useMemo } from "react";
import type { Preview } from "@/api";
import { previewSvg } from "./previewSvg";

/** A script's example on demo bars, small. */
export function PreviewPicture({ preview }: { preview: Preview }) {
  const svg = useMemo(() => previewSvg(preview), [preview]);
  return (
    <figure>
      <div dangerouslySetInnerHTML={{ __html: svg }} />
      <figcaption className="text-note text-soft">
        {preview.symbol}, {preview.timeframe}, the last {preview.close.length} bars
      </figcaption>
    </figure>
  );
}
