import { useQuery } from "@tanstack/react-query";
import { api, unwrap, type ImportPreview, type Joining } from "@/api";
import { plain } from "@/ui";

export type How = "instead" | "add" | "correct";

/** What is done with the bars that a market has on a timeframe already. */
export const HOW_WORDS: { value: How; label: string }[] = [
  { value: "instead", label: "stored instead of them" },
  { value: "add", label: "added; the stored ones stay" },
  { value: "correct", label: "added; the file's replace them" },
];

/** A read file beside what is stored under a symbol; null where nothing is stored on its timeframe, or not yet told. */
export function useCompared(preview: ImportPreview | undefined, symbol: string): Joining | null {
  const token = preview?.token ?? "";
  const compared = useQuery({
    queryKey: ["import compared", token, symbol],
    queryFn: ({ signal }) => unwrap(api.POST("/api/imports/compare", { body: { token, symbol }, signal })),
    enabled: token !== "" && symbol !== "",
    retry: false,
    gcTime: 0,
  });
  return compared.data?.joining ?? null;
}

export function ComparedWords({ joining, timeframe }: { joining: Joining; timeframe: string }) {
  const { added, same, differing } = joining;
  return (
    <>
      Beside its {timeframe} bars {plain(added, 0)} are new, {plain(same, 0)} are there already
      {differing > 0 && (
        <>
          , <b>{plain(differing, 0)} differ</b>
        </>
      )}
      ; they are
    </>
  );
}
