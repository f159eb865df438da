import type { FigureInfo } from "@/api";
import { later, PopOver, type PassMark } from "@/ui";

const PassMarkForm = later(() => import("./PassMarkForm").then((found) => found.PassMarkForm));

/** A figure's name; pressing it sets what the figure must reach. */
export function PassMarkEditor({ figure, mark }: { figure: FigureInfo; mark: PassMark | undefined }) {
  return (
    <PopOver
      face={figure.name}
      title={`${figure.meaning} Press to set a pass mark.`}
      className="cursor-pointer text-left text-small leading-4 text-soft italic hover:underline"
    >
      {(close) => <PassMarkForm figure={figure} mark={mark} onDone={close} />}
    </PopOver>
  );
}
