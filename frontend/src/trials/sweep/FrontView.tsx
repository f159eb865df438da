import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { FigureInfo } from "@/api";
import { Loading, Picker, plain, Trouble } from "@/ui";
import { frontQuery, type Seen } from "../queries";
import { Scatter } from "../Scatter";

/** Two objectives at once, or three: the runs that none beats in all of them; of two they are joined by a line. */
export function FrontView({
  seen,
  figures,
  chosen,
  onChoose,
}: {
  seen: Seen;
  figures: FigureInfo[];
  chosen: number | null;
  onChoose: (number: number) => void;
}) {
  const ranked = figures.filter((figure) => figure.higher_is_better !== null);
  const [first, setFirst] = useState(seen.objective === "max_drawdown" ? "net_profit" : seen.objective);
  const [second, setSecond] = useState("max_drawdown");
  const [third, setThird] = useState("");
  const found = useQuery(frontQuery(seen, third ? [first, second, third] : [first, second]));
  const info = (key: string) => figures.find((figure) => figure.key === key);
  const options = ranked.map((figure) => ({
    value: figure.key,
    label: `${info(figure.key)!.higher_is_better ? "more" : "less"} ${figure.name.toLowerCase()}${figure.unit === "percent" ? " %" : ""}`,
  }));
  if (found.error) return <Trouble error={found.error.message} />;
  return (
    <div className="flex h-full flex-col">
      <p className="pb-1 text-soft">
        <Picker label="First objective" value={first} options={options} onChange={setFirst} /> and{" "}
        <Picker label="Second objective" value={second} options={options} onChange={setSecond} /> and{" "}
        <Picker
          label="Third objective"
          value={third}
          options={[{ value: "", label: "nothing else" }, ...options]}
          onChange={setThird}
        />
        {found.data && (
          <>
            :{" "}
            <b className="text-base-content" data-testid="front-count">
              {plain(found.data.dots.front.length, 0)} runs
            </b>{" "}
            that no other beats in {third ? "all three" : "both"}
          </>
        )}
      </p>
      {!found.data ? (
        <Loading what="Looking for the front" />
      ) : (
        <div className="min-h-0 flex-1">
          <Scatter
            x={found.data.dots.x}
            y={found.data.dots.y}
            numbers={found.data.dots.numbers}
            xInfo={info(first)}
            yInfo={info(second)}
            xName={info(first)?.name ?? ""}
            yName={info(second)?.name ?? ""}
            marks={[]}
            front={found.data.dots.front}
            isJoined={third === ""}
            chosen={chosen}
            onChoose={onChoose}
          />
        </div>
      )}
    </div>
  );
}
