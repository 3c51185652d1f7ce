/**
 * Whether a point stands still: the readings of the last seconds move by less than a share of the span.
 *
 *     const steady = new Steady(32000); steady.take(reading); steady.level()
 *
 * Counts are compared, nothing is worked out of them.
 */
export interface Taken {
  counts: number
  value: number
}

export class Steady {
  private seen: { at: number; counts: number; value: number }[] = []

  constructor(
    private readonly span: number,
    private readonly share = 0.002,
    private readonly readings = 4,
  ) {}

  take(reading: { readAt: number; counts: number; value: number }): void {
    if (this.seen.at(-1)?.at === reading.readAt || Number.isNaN(reading.counts)) return
    this.seen = [...this.seen, { at: reading.readAt, counts: reading.counts, value: reading.value }].slice(
      -this.readings,
    )
  }

  /** The mean of the last readings once they stand still, else nothing. */
  level(): Taken | null {
    if (this.seen.length < this.readings) return null
    const counts = this.seen.map((s) => s.counts)
    // One count of many may flicker; a switch, or a module that gives figures, has no such count.
    const flicker =
      this.span * this.share >= 1 ? this.share * this.span : this.span >= 500 ? 1 : this.share * this.span
    if (Math.max(...counts) - Math.min(...counts) > flicker) return null
    const mean = (of: number[]) => of.reduce((sum, x) => sum + x, 0) / of.length
    return { counts: mean(counts), value: mean(this.seen.map((s) => s.value)) }
  }

  again(): void {
    this.seen = []
  }
}
