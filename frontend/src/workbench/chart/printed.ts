interface Box {
  left: number;
  right: number;
  middle: number;
}

const LINE = 12; // what a line of small print takes, in pixels of the page
const GAP = 5; // what words beside each other need between them

/** Where words stand on a pane, so that none is printed over another. */
export class Printed {
  private readonly boxes: Box[] = [];

  constructor(
    private readonly ctx: CanvasRenderingContext2D,
    private readonly ratio: number,
  ) {}

  /** Take the place of a text in the font that is set; false when some of it is taken already. */
  take(text: string, x: number, middle: number, align: "left" | "center" | "right"): boolean {
    const gap = GAP * this.ratio;
    const { width } = this.ctx.measureText(text);
    const left = align === "left" ? x : align === "right" ? x - width : x - width / 2;
    const box = { left, right: left + width, middle };
    if (
      this.boxes.some(
        (other) =>
          box.left < other.right + gap &&
          other.left < box.right + gap &&
          Math.abs(box.middle - other.middle) < LINE * this.ratio,
      )
    )
      return false;
    this.boxes.push(box);
    return true;
  }
}
