import { StateEffect, StateField, type Range } from "@codemirror/state";
import { Decoration, EditorView, WidgetType, type DecorationSet } from "@codemirror/view";
import type { BarExplained } from "@/api";

type Readings = Pick<BarExplained, "lines" | "marks">;

const show = StateEffect.define<Readings | null>();

/** A line's value on the bar that is read, at the end of the line. */
class LineValue extends WidgetType {
  constructor(
    private readonly text: string,
    private readonly tone: string,
  ) {
    super();
  }

  override eq(other: LineValue): boolean {
    return other.text === this.text && other.tone === this.tone;
  }

  toDOM(): HTMLElement {
    const made = document.createElement("span");
    made.className = `reading reading-${this.tone}`;
    made.textContent = this.text;
    made.setAttribute("aria-hidden", "true");
    return made;
  }
}

/** The script as it reads on one bar; a change of the text takes the readings away until they are asked for again. */
export const readings = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(before, transaction) {
    for (const effect of transaction.effects) {
      if (effect.is(show))
        return effect.value ? decorated(effect.value, transaction.state.doc.length) : Decoration.none;
    }
    return transaction.docChanged ? Decoration.none : before;
  },
  provide: (field) => EditorView.decorations.from(field),
});

export function showReadings(view: EditorView, found: Readings | null): void {
  view.dispatch({ effects: show.of(found) });
}

function decorated(found: Readings, length: number): DecorationSet {
  const made: Range<Decoration>[] = [];
  for (const mark of found.marks) {
    if (mark.end <= length && mark.start < mark.end)
      made.push(Decoration.mark({ class: `part part-${mark.tone}` }).range(mark.start, mark.end));
  }
  for (const line of found.lines) {
    if (line.end <= length)
      made.push(Decoration.widget({ widget: new LineValue(line.text, line.tone), side: 1 }).range(line.end));
  }
  return Decoration.set(made, true);
}
