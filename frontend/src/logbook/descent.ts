/** A kept run as the channel of descent needs it. */
export interface Kin {
  number: number;
  parent: number | null;
}

/** Where a run stands in the channel: its column, and the row and column it comes from, where that is in view. */
export interface Berth {
  column: number;
  from: { row: number; column: number } | null;
  /** The run it was changed from is older than what is in view. */
  isFromBelow: boolean;
  /** The last of an arm that was given up: one went back, and on from an earlier run. */
  isGivenUp: boolean;
  isFirst: boolean;
}

/**
 * The channel of descent for runs in the order they are listed, newest first. A run goes straight on from the one it was
 * changed from when its own line reaches furthest; the others are arms beside it. Lines that share no row share a column.
 */
export function berthsOf(runs: Kin[]): { berths: Berth[]; columns: number } {
  const rowOf = new Map(runs.map((run, row) => [run.number, row]));
  const reach = new Map<number, number>(); // the newest run that came of each
  for (const run of runs) {
    const own = reach.get(run.number) ?? run.number;
    reach.set(run.number, own);
    if (run.parent !== null) reach.set(run.parent, Math.max(reach.get(run.parent) ?? 0, own));
  }
  const goesOn = new Map<number, number>(); // the child that goes straight on
  for (const run of runs) {
    if (run.parent === null) continue;
    const other = goesOn.get(run.parent);
    if (other === undefined || reach.get(run.number)! > reach.get(other)!) goesOn.set(run.parent, run.number);
  }
  const columnOf = new Map<number, number>();
  const taken: { begin: number; end: number }[][] = []; // stretches of rows, by column
  const claim = (begin: number, end: number, least: number) => {
    for (let column = least; ; column++) {
      const stretches = (taken[column] ??= []);
      if (stretches.every((other) => end < other.begin || begin > other.end)) {
        stretches.push({ begin, end });
        return column;
      }
    }
  };
  // Oldest first: the line that an arm leaves has its column by then.
  for (const run of [...runs].reverse()) {
    const isOn = run.parent !== null && goesOn.get(run.parent) === run.number;
    if (isOn && columnOf.has(run.parent!)) {
      columnOf.set(run.number, columnOf.get(run.parent!)!);
      continue;
    }
    let last = run.number;
    while (goesOn.has(last)) last = goesOn.get(last)!;
    const from = run.parent === null ? undefined : rowOf.get(run.parent);
    const end = from ?? (run.parent === null ? rowOf.get(run.number)! : runs.length);
    const least = from === undefined ? 0 : columnOf.get(run.parent!)! + 1;
    // An arm stands beside its line from the row above the one it leaves.
    columnOf.set(
      run.number,
      claim(rowOf.get(last)!, from === undefined ? end : Math.max(end - 1, rowOf.get(run.number)!), least),
    );
  }
  const berths = runs.map((run): Berth => {
    const parentRow = run.parent === null ? undefined : rowOf.get(run.parent);
    const column = columnOf.get(run.number)!;
    const isArm = run.parent !== null && goesOn.get(run.parent) !== run.number;
    return {
      column,
      from: parentRow === undefined ? null : { row: parentRow, column: columnOf.get(run.parent!)! },
      isFromBelow: run.parent !== null && parentRow === undefined,
      isGivenUp: !goesOn.has(run.number) && (isArm || armOf(run, runs, rowOf, goesOn)),
      isFirst: run.parent === null,
    };
  });
  return { berths, columns: Math.max(1, taken.length) };
}

/** Whether a run is on an arm: some run on its line did not go straight on from its own. */
function armOf(run: Kin, runs: Kin[], rowOf: Map<number, number>, goesOn: Map<number, number>): boolean {
  for (let now: Kin | undefined = run; now && now.parent !== null;) {
    if (goesOn.get(now.parent) !== now.number) return true;
    const row = rowOf.get(now.parent);
    now = row === undefined ? undefined : runs[row];
  }
  return false;
}
