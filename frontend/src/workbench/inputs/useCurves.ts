import { useEffect, useState } from "react";
import type { AskOnce, Figures, InputInfo, Setup } from "@/api";
import { optionValue } from "@/setup";
import { sliderRange } from "../model";

export type InputValue = number | boolean | string;

/** The figures of a run with one input at a value, all else as it is; null where it could not run. */
export interface CurvePoint {
  value: InputValue;
  figures: Figures | null;
}

const MOST_POINTS = 15;
const REST_MS = 300; // while a slider is dragged, curves would only hold its runs up

/** The values at which an input's curve is worked out. */
export function curveValues(input: InputInfo): InputValue[] {
  if (input.kind === "switch") return [false, true];
  if (input.options.length > 0) return input.options.map((option) => optionValue(input, option));
  if (input.kind !== "number") return [];
  const { low, high, step } = sliderRange(input);
  const steps = Math.floor((high - low) / step + 1e-9);
  const stride = Math.max(1, Math.ceil(steps / (MOST_POINTS - 1)));
  const values: number[] = [];
  for (let at = 0; at <= steps; at += stride) values.push(Number((low + at * step).toPrecision(12)));
  return values;
}

const kept = new Map<string, CurvePoint[]>();
const MOST_KEPT = 60;

/** What a curve depends on: the whole setup without the input itself. */
function curveKey(setup: Setup, input: InputInfo): string {
  const others = Object.entries(setup.inputs ?? {}).filter(([name]) => name !== input.name);
  return JSON.stringify([{ ...setup, inputs: others }, input.name]);
}

/** The curve of every input, point by point in the background, or why they are not there; known curves are kept. */
export function useCurves(
  setup: Setup | null,
  inputs: InputInfo[],
  ask: AskOnce,
): { curves: Record<string, CurvePoint[]>; failed: string | null } {
  const [curves, setCurves] = useState<Record<string, CurvePoint[]>>({});
  const [failed, setFailed] = useState<string | null>(null);
  const wanted = setup ? JSON.stringify([setup, inputs.map((input) => [input.name, curveValues(input)])]) : "";
  useEffect(() => {
    if (!setup) return;
    let isWanted = true;
    void (async () => {
      await new Promise((rest) => window.setTimeout(rest, REST_MS));
      if (!isWanted) return;
      setFailed(null);
      for (const input of inputs) {
        const key = curveKey(setup, input);
        const points = kept.get(key) ?? [];
        const show = () => setCurves((before) => ({ ...before, [input.name]: [...points] }));
        if (points.length > 0) show();
        for (const value of curveValues(input).slice(points.length)) {
          const told = await ask("try", { setup, input: input.name, value });
          if (!isWanted || told.kind !== "answer") {
            if (isWanted && told.kind === "failed") setFailed(told.reason);
            return; // what is known stays, the rest comes with the next change
          }
          points.push({ value, figures: told.answer.figures });
          kept.set(key, points);
          show();
        }
        for (const old of [...kept.keys()].slice(0, Math.max(0, kept.size - MOST_KEPT))) kept.delete(old);
      }
    })();
    return () => {
      isWanted = false;
    };
    // `wanted` says all that matters of the setup and the inputs.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wanted, ask]);
  return { curves, failed };
}
