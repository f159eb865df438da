/** A sentence of the program; what stands between backticks is shown as script. */
export function Said({ text }: { text: string }) {
  return (
    <>
      {text.split("`").map((part, index) =>
        index % 2 === 1 ? (
          <code key={index} className="num text-[0.95em] font-semibold">
            {part}
          </code>
        ) : (
          part
        ),
      )}
    </>
  );
}
