/** A set of small whole numbers, a bit each: the ids of a million copies are 125 kB. */
export class IdSet {
  private bits = new Uint8Array(1024);

  add(id: number): void {
    const at = id >> 3;
    if (at >= this.bits.length) {
      const larger = new Uint8Array(Math.max(at + 1, this.bits.length * 2));
      larger.set(this.bits);
      this.bits = larger;
    }
    this.bits[at] = (this.bits[at] ?? 0) | (1 << (id & 7));
  }

  has(id: number): boolean {
    return ((this.bits[id >> 3] ?? 0) & (1 << (id & 7))) !== 0;
  }
}
