import type { Trial } from "@/api";
import { Picker } from "@/ui";
import { axisLabel, type ViewChoice } from "../model";

/** Which two axes are looked at, and at which values of the others. */
export function ViewBar({
  trial,
  view,
  onView,
}: {
  trial: Trial;
  view: ViewChoice;
  onView: (view: ViewChoice) => void;
}) {
  const moving = trial.axes.filter((axis) => axis.values.length > 1);
  const others = trial.axes.filter((axis) => axis.name !== view.x && axis.name !== view.y);
  const isSplit = trial.parts.length > 1;
  if (moving.length < 2 && !isSplit) return null;
  const names = moving.map((axis) => ({ value: axis.name, label: axis.name }));
  const without = (name: string | null) =>
    Object.fromEntries(Object.entries(view.held).filter(([held]) => held !== name));
  const folded = others.filter((axis) => view.held[axis.name] === undefined);
  return (
    <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1 px-3 pt-2 text-soft" aria-label="View" role="group">
      {moving.length > 1 && (
        <span>
          <Picker
            label="Across"
            value={view.x}
            options={names}
            onChange={(x) => onView({ ...view, x, y: x === view.y ? view.x : view.y, held: without(x) })}
          />{" "}
          by{" "}
          <Picker
            label="Upwards"
            value={view.y ?? ""}
            options={[...names.filter((name) => name.value !== view.x), { value: "", label: "nothing" }]}
            onChange={(y) => onView({ ...view, y: y || null, held: without(y) })}
          />
        </span>
      )}
      {others.map((axis) => (
        <span key={axis.name}>
          {axis.name}{" "}
          <Picker
            label={`Slice of ${axis.name}`}
            value={String(view.held[axis.name] ?? "")}
            options={[
              { value: "", label: "all" },
              ...axis.values.map((value, place) => ({ value: String(place), label: axisLabel(value) })),
            ]}
            onChange={(place) =>
              onView({
                ...view,
                held: place === "" ? without(axis.name) : { ...view.held, [axis.name]: Number(place) },
              })
            }
          />
        </span>
      ))}
      {folded.length > 0 && (
        <span>
          of all{" "}
          <Picker
            label="Of all"
            value={view.fold}
            options={[
              { value: "middle", label: "the middle one" },
              { value: "best", label: "the best one" },
            ]}
            onChange={(fold) => onView({ ...view, fold: fold as ViewChoice["fold"] })}
          />
        </span>
      )}
      {isSplit && (
        <Picker
          label="Which days"
          value={String(view.part)}
          options={[
            { value: "0", label: "in sample" },
            { value: "1", label: "out of sample" },
          ]}
          onChange={(part) => onView({ ...view, part: part === "1" ? 1 : 0 })}
        />
      )}
    </p>
  );
}
