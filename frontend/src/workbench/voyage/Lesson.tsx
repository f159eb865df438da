import { useVoyage } from "@/keeping";
import type { Bench } from "../useBench";
import { FirstMinute } from "./FirstMinute";
import { Voyage } from "./Voyage";

/** What leads a newcomer: the first minute's card until it is met, the voyage while it is open, else nothing. */
export function Lesson({ bench }: { bench: Bench }) {
  const { isOpen, isMet } = useVoyage();
  const isOfDemo = bench.title === bench.defaults.script;
  if (isOpen) return <Voyage bench={bench} />;
  return !isMet && isOfDemo ? <FirstMinute bench={bench} /> : null;
}
