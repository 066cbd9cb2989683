/** A row of numbers that grows, 4 bytes each: what is kept for every hop of a sound of hours. */
export class GrowingNumbers {
  private kept = new Float32Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.kept.length) {
      const larger = new Float32Array(this.kept.length * 2);
      larger.set(this.kept);
      this.kept = larger;
    }
    this.kept[this.length] = value;
    this.length += 1;
  }

  values(): Float32Array {
    return this.kept.subarray(0, this.length);
  }
}
