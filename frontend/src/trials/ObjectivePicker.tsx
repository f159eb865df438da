import { NumberField, Picker } from "@/ui";

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
      <NumberField
        label="Least number of trades"
        least={0}
        className="picker w-14"
        value={minTrades}
        onChange={onMinTrades}
      />{" "}
      trades
    </>
  );
}
