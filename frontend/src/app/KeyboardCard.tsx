import { Dialog, useOffered } from "@/ui";

/** Keys that are not commands of their own: moving about. */
const MOVING: { place: string; rows: [string, string][] }[] = [
  {
    place: "Anywhere",
    rows: [
      ["Ctrl K", "every command by name"],
      ["Tab, Shift Tab", "to the next control, and back"],
    ],
  },
  {
    place: "Chart",
    rows: [
      ["← →", "a tenth of the view back or on; a bar, while following"],
      ["Page Up, Page Down", "a whole view back or on"],
      ["+ −", "nearer, further"],
      ["Home", "the whole run"],
      ["h", "hold the bar, or let it go"],
      [", .", "the bar before, the bar after"],
      ["n p", "the next trade, the one before"],
      ["l", "open the bar into its finer bars"],
      ["f", "follow: cover the future"],
      ["space", "play or rest, while following"],
      ["e", "the next entry or exit, while following"],
      ["End", "the end, while following"],
      ["Escape", "let go, close, uncover"],
    ],
  },
  {
    place: "Trades",
    rows: [
      ["↑ ↓", "the trade before or after"],
      ["Shift ↑ ↓", "several at once, summed"],
      ["Ctrl or Shift with a press", "several at once, summed"],
    ],
  },
  {
    place: "Text",
    rows: [
      ["Ctrl Z, Ctrl Shift Z", "undo, redo the typing"],
      ["Ctrl .", "tools at the cursor"],
      ["F2", "rename"],
      ["F12, Shift F12", "to the definition; all uses"],
      ["Shift Alt F", "lay out the text"],
    ],
  },
];

/** Every key on one card. */
export function KeyboardCard({ onClose }: { onClose: () => void }) {
  const offered = useOffered().map(({ place, commands }) => ({
    place,
    rows: commands.flatMap((command): [string, string][] => (command.keys ? [[command.keys, command.name]] : [])),
  }));
  const cards = [...MOVING, ...offered.filter(({ rows }) => rows.length > 0)];
  return (
    <Dialog title="Keyboard card" onClose={onClose} wide>
      <div className="columns-2 gap-8 px-5 py-3">
        {cards.map(({ place, rows }) => (
          <section key={place} className="mb-4 break-inside-avoid">
            <h3 className="border-b border-line pb-1 font-serif text-figure">{place}</h3>
            <dl>
              {rows.map(([keys, what]) => (
                <div key={keys + what} className="flex gap-3 border-b border-line py-[2px]">
                  <dt className="num w-40 flex-none">{keys}</dt>
                  <dd className="text-soft">{what}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
    </Dialog>
  );
}
