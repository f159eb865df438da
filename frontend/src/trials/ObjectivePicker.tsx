import { Picker } from "@/ui";

interface Props {
  objectives: { value: string; label: string }[];
  objective: string;
  onObjective: (objective: string) => void;
  minTrades: number;
  onMinTrades: (count: number) => void;
}

/** The words that say what a trial looks for, and from how many trades on. */
export function ObjectivePicker({ objectives, objective, onObjective, minTrades, onMinTrades }: Props) {
  return (
    <>
      best by <Picker label="Objective" value={objective} options={objectives} onChange={onObjective} /> with at least{" "}
      <input
        type="number"
        min={0}
        aria-label="Least number of trades"
        className="picker num w-14"
        value={minTrades}
        onChange={(event) => onMinTrades(Math.max(0, Math.floor(Number(event.target.value))))}
      />{" "}
      trades
    </>
  );
}
