import type { Run } from "@/api";

/** Which bar is read: the one that is held, else the one under the pointer; told once for each change. */
export class BarReader {
  /** The bar that is held whatever the pointer does. */
  held: number | null = null;
  /** When it opened, known once that is told. */
  moment: number | null = null;
  private told: string | null = null;

  constructor(private readonly onBar: (run: string, bar: number | null) => void) {}

  /** Another run: what was told is told anew; what cannot be held on it is let go. */
  moveTo(run: Run, isSameBars: boolean): void {
    this.told = null;
    if (this.held !== null && (!isSameBars || this.held > run.last)) this.held = null;
  }

  /** Hold a bar, at most the last that is not covered. Its moment, where it is not given, comes with what is told of it. */
  hold(run: Run, bar: number, cover: number | null, moment: number | null): number {
    this.held = Math.max(run.first, Math.min(cover ?? run.last, bar));
    this.moment = moment;
    this.told = null;
    return this.held;
  }

  /** Let the held bar go; without one, none is read until the pointer comes to another. */
  letGo(run: Run | null, under: number | null): void {
    if (this.held === null && run) {
      this.told = `${run.key} ${under}`;
      this.onBar(run.key, null);
    }
    this.held = null;
  }

  /** Tell which bar is read, if another than before; when the pointer has left, the last one goes on being read. */
  tell(run: Run, under: number | null, cover: number | null): void {
    const wanted = this.held ?? under;
    if (wanted === null) return;
    const bar = cover === null ? wanted : Math.min(wanted, cover);
    const inside = bar >= run.first && bar <= run.last ? bar : null;
    const told = `${run.key} ${inside}`;
    if (told === this.told) return;
    this.told = told;
    this.onBar(run.key, inside);
  }
}
